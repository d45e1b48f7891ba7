<script lang="ts">
  /** The library's accordion item as a part of the tray that folds away. It opens by itself when it
   *  becomes the thing to do. */
  import { AccordionItem } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

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

{#snippet none()}{/snippet}
<section aria-label={title} class="mt-3.5 border-t border-line pt-3">
  <AccordionItem
    bind:open={() => unfolded, (to) => to !== unfolded && (chosen = to)}
    transitionParams={{ duration: 90 }}
    classes={{ active: 'text-ink', inactive: 'text-ink' }}
    arrowup={none}
    arrowdown={none}
  >
    {#snippet header()}
      <svg
        width="8"
        height="10"
        aria-hidden="true"
        class="text-quiet"
        style="transform: rotate({unfolded ? 90 : 0}deg)"
        ><path d="M1 1l6 4l-6 4z" fill="currentColor" /></svg
      >
      {title}
      <small class={['ml-auto text-[12px] font-normal', warns ? 'text-warning' : 'text-quiet']}
        >{note}</small
      >
    {/snippet}
    {@render children()}
  </AccordionItem>
</section>
