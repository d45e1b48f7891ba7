<script lang="ts">
  /** The horizon, and each trace run on to where its heading vanishes. */
  import { project } from '../../../project/project.svelte';
  import { selection } from '../../../project/selection.svelte';
  import { colourOf } from '../../../project/headings';
  import { acrossPlate, toView, type Point, type Window2D } from '../../../views/camera';
  import Stroke from '../../../views/marks/Stroke.svelte';
  import type { Trace } from '../../../lib/api/client';
  import { heldPoints } from './held';

  let { win }: { win: Window2D } = $props();
  const plate = $derived(project.scene!.plate);
  const line = $derived(acrossPlate(win, plate.width, project.reading?.horizon ?? null));

  /** From a trace's middle to its vanishing point, or far past the picture towards it. */
  function onward(t: Trace): [Point, Point] | null {
    const v = project.reading?.headings?.find((h) => h.heading === t.heading)?.vanishing;
    if (!v) return null;
    const at = heldPoints('trace', t);
    const [a, b] = [at[0], at[at.length - 1]];
    const mid: Point = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
    const reach = 3 * Math.max(plate.width, plate.height);
    let d: Point = [v[0] - mid[0] * v[2], v[1] - mid[1] * v[2]];
    if (v[2] < 0) d = [-d[0], -d[1]];
    const n = Math.hypot(d[0], d[1]) || 1;
    const length = Math.abs(v[2]) > 1e-9 ? Math.min(n / Math.abs(v[2]), reach) : reach;
    return [mid, [mid[0] + (d[0] / n) * length, mid[1] + (d[1] / n) * length]];
  }
</script>

{#if line}
  <Stroke points={line} colour="var(--color-ink)" width={1.4} dash="2 6" opacity={0.85} under={0} />
  {#each project.scene!.sighting.traces ?? [] as t (t.id)}
    {@const run = onward(t)}
    {#if run}
      <Stroke
        points={run.map((p) => toView(win, p))}
        colour={colourOf(t.heading)}
        width={1}
        opacity={selection.has('trace', t.id) ? 0.8 : 0.22}
        under={0}
      />
    {/if}
  {/each}
{/if}
