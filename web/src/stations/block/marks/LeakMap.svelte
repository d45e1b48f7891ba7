<script lang="ts">
  /** What of the plate lands on nothing, and cracks, over the lens view. */
  import { project } from '../../../lib/project.svelte';
  import { toView, type Window2D } from '../../../views/camera';
  import { leaks } from '../leaks.svelte';

  let { win }: { win: Window2D } = $props();
  const plate = $derived(project.scene!.plate);
  const [x, y] = $derived(toView(win, [0, 0]));
</script>

{#if leaks.picture}
  <image
    href={leaks.picture}
    {x}
    {y}
    width={plate.width * win.zoom}
    height={plate.height * win.zoom}
    preserveAspectRatio="none"
    style="image-rendering: pixelated"
  />
{/if}
{#each leaks.now?.cracks ?? [] as crack (crack.between.join())}
  {@const [cx, cy] = toView(win, crack.at as [number, number])}
  <circle {cx} {cy} r="11" fill="none" stroke="#0c1110" stroke-width="4" />
  <circle {cx} {cy} r="11" fill="none" stroke="#ffd166" stroke-width="1.8" />
{/each}
