<script lang="ts">
  /** A part of the tray that folds away. It opens by itself when it becomes the thing to do. */
  import type { Snippet } from 'svelte';
  import Press from './Press.svelte';

  let {
    title,
    note = '',
    open = false,
    warns = false,
    children,
  }: {
    title: string;
    note?: string;
    open?: boolean;
    warns?: boolean; // the note is something to look at
    children: Snippet;
  } = $props();

  let chosen = $state<boolean | null>(null);
  const unfolded = $derived(chosen ?? open);
</script>

<section aria-label={title}>
  <h2 class="section">
    <Press
      kind="bare"
      class="flex w-full items-center gap-1.5 text-left font-semibold"
      aria-expanded={unfolded}
      onclick={() => (chosen = !unfolded)}
    >
      <svg
        width="8"
        height="10"
        aria-hidden="true"
        style="transform: rotate({unfolded ? 90 : 0}deg)"
        ><path d="M1 1l6 4l-6 4z" fill="#94a8a0" /></svg
      >
      {title}
      <small class={['ml-auto', warns && '!text-warning']}>{note}</small>
    </Press>
  </h2>
  {#if unfolded}{@render children()}{/if}
</section>
