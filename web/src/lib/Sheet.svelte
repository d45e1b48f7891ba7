<script lang="ts">
  /** A window over the page, with its title as a heading of the page's second rank. */
  import { Modal } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  let {
    title,
    open = $bindable(),
    children,
    size = 'sm',
  }: { title: string; open: boolean; children: Snippet; size?: 'sm' | 'xl' } = $props();
</script>

<Modal aria-label={title} bind:open {size}>
  {#snippet header()}<h2 class="text-[16px] font-semibold">{title}</h2>{/snippet}
  {@render children()}
</Modal>
