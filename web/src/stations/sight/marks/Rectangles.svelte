<script lang="ts">
  /** Rectangles, each side in its heading's tone, and the one that is being drawn. */
  import { project } from '../../../project/project.svelte';
  import { selection } from '../../../project/selection.svelte';
  import { colourOf, patternOf } from '../../../project/headings';
  import { beside, toView, type Point, type Window2D } from '../../../views/camera';
  import Grip from '../../../views/marks/Grip.svelte';
  import Stroke from '../../../views/marks/Stroke.svelte';
  import { sightHand } from '../hand.svelte';
  import { heldPoints } from './held';

  let { win }: { win: Window2D } = $props();
  const view = (p: Point) => toView(win, p);
  const disagreeing = $derived(
    new Set(project.reading?.rectangles?.filter((r) => r.disagrees).map((r) => r.id)),
  );

  /** A short stroke on the side towards another corner, which leaves the corner itself free. */
  function tick(corner: Point, toward: Point): string {
    const [dx, dy] = [toward[0] - corner[0], toward[1] - corner[1]];
    const n = Math.hypot(dx, dy) || 1;
    const [ux, uy] = [dx / n, dy / n];
    return `M${corner[0] + ux * 13} ${corner[1] + uy * 13}l${-ux * 7} ${-uy * 7}`;
  }
</script>

{#each project.scene!.sighting.rectangles ?? [] as r (r.id)}
  {@const at = heldPoints('rectangle', r).map(view)}
  {@const chosen = selection.has('rectangle', r.id)}
  {@const name = `rectangle ${r.id.split('-')[1]}`}
  <g role="group" aria-label={name} opacity={0.35 + 0.65 * (r.trust ?? 1)}>
    {#each at as p, i (i)}
      {@const heading = r.headings[i % 2]}
      <Stroke
        points={[p, at[(i + 1) % 4]]}
        colour={chosen ? 'var(--color-lantern)' : colourOf(heading)}
        width={chosen ? 1.8 : 1.4}
        dash={patternOf(heading)}
      />
    {/each}
    <polygon
      points={at.join(' ')}
      fill={chosen ? 'var(--color-marked)' : 'var(--color-sheen)'}
      stroke="transparent"
      stroke-width="10"
      data-grip="rectangle|{r.id}"
      style="cursor: pointer"
    />
    {#each at as p, i (i)}
      <path
        d={tick(p, at[(i + 1) % 4]) + tick(p, at[(i + 3) % 4])}
        stroke={chosen ? 'var(--color-lantern)' : 'var(--color-ink)'}
        stroke-width={chosen && selection.only?.part === i ? 4 : 2.4}
      />
      <Grip at={p} grip="rectangle|{r.id}|{i}" label="Corner {i + 1} of {name}" />
    {/each}
    {#if disagreeing.has(r.id)}
      <text {...beside(win, at[0], 70)} class="note" fill="var(--color-warning)">disagrees</text>
    {/if}
  </g>
{/each}
{#if sightHand.corners.length}
  <Stroke
    points={[...sightHand.corners, ...(sightHand.hover ? [sightHand.hover] : [])].map(view)}
    colour="var(--color-lantern)"
    width={1.5}
    under={0}
  />
{/if}
