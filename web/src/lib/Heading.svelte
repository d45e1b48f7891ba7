<script lang="ts">
  /** The head of a part of the tray: its name on the left, what is said of it small on the right. */
  import type { Snippet } from 'svelte';

  let { children }: { children: Snippet } = $props();
</script>

<h2
  class="mt-3.5 mb-1.5 flex justify-between border-t border-line pt-3 font-semibold
    [&_small]:text-[12px] [&_small]:font-normal [&_small]:text-quiet"
>
  {@render children()}
</h2>
