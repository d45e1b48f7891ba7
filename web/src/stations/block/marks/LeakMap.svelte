<script lang="ts">
  /** What of the plate lands on nothing, and cracks, over the lens view. */
  import { toView, type Window2D } from '../../../views/camera';
  import OverPlate from '../../../views/marks/OverPlate.svelte';
  import { leaks } from '../leaks.svelte';

  let { win }: { win: Window2D } = $props();
</script>

{#if leaks.picture}
  <OverPlate {win} href={leaks.picture} />
{/if}
{#each leaks.now?.cracks ?? [] as crack (crack.between.join())}
  {@const [cx, cy] = toView(win, crack.at as [number, number])}
  <circle {cx} {cy} r="11" fill="none" stroke="var(--color-ground)" stroke-width="4" />
  <circle {cx} {cy} r="11" fill="none" stroke="var(--color-lantern)" stroke-width="1.8" />
{/each}
