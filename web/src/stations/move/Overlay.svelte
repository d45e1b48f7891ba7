<script lang="ts">
  /** Over the shot: the maps, what lies outside of the delivered frame, guides, and what is picked. */
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { project as pixelOf, toView, type Window2D } from '../../views/camera';
  import { shotAt } from '../../views/shot';
  import MapOverlay from '../shot/MapOverlay.svelte';
  import { cropOf } from '../shot/crop';
  import { guides } from './guides.svelte';
  import { chosen } from './ready/chosen.svelte';

  let { win }: { win: Window2D } = $props();
  const plate = $derived(project.scene!.plate);
  const frame = $derived(project.move?.frame ?? null);
  const box = $derived.by(() => {
    const [x, y, wide, high] = cropOf(plate.width, plate.height, frame);
    const [[x0, y0], [x1, y1]] = [toView(win, [x, y]), toView(win, [x + wide, y + high])];
    return { x: x0, y: y0, width: x1 - x0, height: y1 - y0 };
  });
  const outside = $derived.by(() => {
    const { x, y, width, height } = box;
    const [[a, b], [c, d]] = [toView(win, [0, 0]), toView(win, [plate.width, plate.height])];
    return `M${a} ${b}H${c}V${d}H${a}ZM${x} ${y}V${y + height}H${x + width}V${y}Z`;
  });
  const picked = $derived.by(() => {
    const sighted = project.reading?.camera;
    if (!chosen.place || !sighted || !project.shot) return null;
    const at = pixelOf(shotAt(project.shot, playhead.at, sighted), chosen.place);
    return at && toView(win, at);
  });
</script>

<MapOverlay {win} />
<g class="pointer-events-none" fill="none">
  {#if frame}
    <path d={outside} fill="var(--color-ground)" fill-opacity="0.72" />
    <rect {...box} stroke="var(--color-lantern)" stroke-opacity="0.8" />
  {/if}
  {#if guides.on}
    {#each [1 / 3, 2 / 3] as share (share)}
      <path
        d="M{box.x + share * box.width} {box.y}v{box.height}M{box.x} {box.y +
          share * box.height}h{box.width}"
        stroke="var(--color-ink)"
        stroke-opacity="0.45"
        stroke-dasharray="2 5"
      />
    {/each}
    <path
      d="M{box.x + box.width / 2 - 9} {box.y + box.height / 2}h18m-9-9v18"
      stroke="var(--color-ink)"
      stroke-opacity="0.7"
    />
  {/if}
  {#if picked}
    <g transform="translate({picked[0]} {picked[1]})">
      <circle r="9" stroke="var(--color-ground)" stroke-width="4" />
      <circle r="9" stroke="var(--color-lantern)" stroke-width="1.6" />
      <circle r="1.5" fill="var(--color-lantern)" />
    </g>
  {/if}
</g>
