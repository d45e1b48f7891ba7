<script lang="ts">
  /** A window over the page, with its title as a heading of the page's second rank. */
  import { Modal } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  let {
    title,
    open = $bindable(),
    children,
  }: { title: string; open: boolean; children: Snippet } = $props();
</script>

<Modal aria-label={title} bind:open size="sm">
  {#snippet header()}<h2 class="text-[16px] font-semibold">{title}</h2>{/snippet}
  {@render children()}
</Modal>
