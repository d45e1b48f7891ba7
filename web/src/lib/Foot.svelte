<script lang="ts">
  /** The foot of a tray: the way on to the next station stays in reach however long the tray is. */
  import type { Snippet } from 'svelte';

  let { class: more = '', children }: { class?: string; children: Snippet } = $props();
</script>

<div
  class={['sticky -bottom-0.5 mt-[18px] bg-raised shadow-[0_0_0_13px_var(--color-raised)]', more]}
>
  {@render children()}
</div>
