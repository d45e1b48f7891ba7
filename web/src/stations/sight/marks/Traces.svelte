<script lang="ts">
  /** Traces, each with brackets at its ends that leave the pixel under them free. */
  import { project } from '../../../project/project.svelte';
  import { selection } from '../../../project/selection.svelte';
  import { colourOf, isBearing, patternOf, traceNames } from '../../../project/headings';
  import { beside, toView, type Point, type Window2D } from '../../../views/camera';
  import Grip from '../../../views/marks/Grip.svelte';
  import Stroke from '../../../views/marks/Stroke.svelte';
  import { awayFrom } from '../../../views/near';
  import { sightHand } from '../hand.svelte';
  import { heldPoints } from './held';

  let { win }: { win: Window2D } = $props();
  const sighting = $derived(project.scene!.sighting);
  const plate = $derived(project.scene!.plate);
  const names = $derived(traceNames(sighting.traces ?? []));
  const read = $derived(new Map((project.reading?.traces ?? []).map((t) => [t.id, t])));

  /** None for a trace that fits, yellow past a pixel and a half, warm past four. */
  function misfit(id: string): string | null {
    const px = read.get(id)?.misfit_px ?? 0;
    const scale = Math.max(plate.width, plate.height) / 1920;
    return px > 4 * scale
      ? 'var(--color-warning)'
      : px > 1.5 * scale
        ? 'var(--color-lantern)'
        : null;
  }

  /** Where there are many, those that are not worked on rest as hairlines, so that the picture shows:
   *  awake are the selected ones, those near the pointer and the few that miss most. */
  const FEW = 16;
  const WORST = 5;
  const NEAR = 70; // px
  const many = $derived((sighting.traces ?? []).length > FEW);
  const worst = $derived(
    new Set(
      [...read.values()]
        .filter((t) => misfit(t.id))
        .sort((a, b) => (b.misfit_px ?? 0) - (a.misfit_px ?? 0))
        .slice(0, WORST)
        .map((t) => t.id),
    ),
  );
  const pointer = $derived(many && sightHand.hover ? toView(win, sightHand.hover) : null);
  const nearPointer = (pts: readonly Point[]) =>
    !!pointer && pts.slice(1).some((b, i) => awayFrom(pointer, pts[i], b) < NEAR);

  function bracket(at: Point, toward: Point): string {
    const d = [at[0] - toward[0], at[1] - toward[1]];
    const n = Math.hypot(d[0], d[1]) || 1;
    const [ux, uy] = [d[0] / n, d[1] / n];
    const [vx, vy] = [-uy, ux];
    const p = (a: number, b: number) => `${at[0] + ux * a + vx * b} ${at[1] + uy * a + vy * b}`;
    return `M${p(0, 7)}L${p(5, 7)}L${p(5, -7)}L${p(0, -7)}`;
  }
</script>

{#each sighting.traces ?? [] as t (t.id)}
  {@const pts = heldPoints('trace', t).map((p) => toView(win, p))}
  {@const a = pts[0]}
  {@const b = pts[pts.length - 1]}
  {@const chosen = selection.has('trace', t.id)}
  {@const colour = chosen ? 'var(--color-lantern)' : colourOf(t.heading)}
  {@const off = misfit(t.id)}
  {@const awake = !many || chosen || worst.has(t.id) || nearPointer(pts)}
  <g
    role="group"
    aria-label="trace {names.get(t.id)}"
    opacity={sighting.by_eye || sighting.given ? 0.3 : 0.35 + 0.65 * (t.trust ?? 1)}
  >
    <Stroke
      points={pts}
      {colour}
      width={chosen ? 1.8 : awake ? 1.3 : 0.8}
      dash={patternOf(t.heading)}
      under={!awake ? 0 : off ? 5 : 3}
      underColour={off ?? undefined}
      underOpacity={off ? 0.5 : 0.45}
    />
    <polyline
      points={pts.join(' ')}
      fill="none"
      stroke="transparent"
      stroke-width="12"
      data-grip="trace|{t.id}"
      style="cursor: pointer"
    />
    {#each pts.slice(1, -1) as at, i (i)}
      <path d="M{at[0] - 4} {at[1]}h8M{at[0]} {at[1] - 4}v8" stroke={colour} stroke-width="1.4" />
      <Grip
        {at}
        r={9}
        grip="trace|{t.id}|{i + 1}"
        label="Point {i + 2} of trace {names.get(t.id)}"
      />
    {/each}
    {#each [[a, pts[1], 0], [b, pts[pts.length - 2], pts.length - 1]] as const as [at, toward, end] (end)}
      {#if awake}
        <path
          d={bracket(at, toward)}
          fill="none"
          stroke={colour}
          stroke-width={chosen && selection.only?.part === end ? 3 : 1.8}
        />
      {/if}
      <Grip
        {at}
        grip="trace|{t.id}|{end}"
        label="End {end === 0 ? 1 : 2} of trace {names.get(t.id)}"
      />
    {/each}
    {#if awake && isBearing(t.heading)}
      <text
        {...beside(win, [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2 - 6], 14)}
        class="note"
        fill={colour}>{t.heading}</text
      >
    {/if}
    {#if read.get(t.id)?.disagrees}
      {@const note = beside(win, [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2], 70)}
      <text {...note} class="note" fill="var(--color-warning)">disagrees</text>
    {/if}
  </g>
{/each}
