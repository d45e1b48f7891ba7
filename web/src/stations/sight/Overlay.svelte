<script lang="ts">
  /** Traces, tapes, datum, horizon and vanishing lines over the plate. */
  import { checks } from './checks.svelte';
  import { drawing } from './drawing.svelte';
  import { selection } from '../../lib/selection.svelte';
  import { tool } from '../../lib/tool.svelte';
  import { project } from '../../lib/project.svelte';
  import { length } from '../../lib/units.svelte';
  import { COLOURS, PATTERNS, traceNames } from '../../lib/words';
  import { beside, toView, type Point, type Window2D } from '../../views/camera';
  import type { Trace } from '../../lib/api/client';
  import BoxGrip from './BoxGrip.svelte';
  import Edges from './Edges.svelte';
  import EyeHandles from './EyeHandles.svelte';
  import Figures from './Figures.svelte';
  import { sightHand } from './hand.svelte';
  import Others from './Others.svelte';
  import { proposing } from './proposal.svelte';

  let { win }: { win: Window2D } = $props();

  const sighting = $derived(project.scene?.sighting);
  const reading = $derived(project.reading);
  const plate = $derived(project.scene!.plate);
  const names = $derived(traceNames(sighting?.traces ?? []));
  const held = $derived(sightHand.held);
  $effect(() => proposing.follow());
  $effect(() => proposing.hear());
  const view = (p: readonly number[]) => toView(win, [p[0], p[1]]);

  const ends = (t: Trace): Point[] =>
    t.points.map((p, i) =>
      held?.kind === 'trace' && held.id === t.id && held.end === i ? held.to : [p[0], p[1]],
    );
  const tapeEnds = (t: { id: string; points: readonly (readonly number[])[] }): Point[] =>
    t.points.map((p, i) =>
      held?.kind === 'tape' && held.id === t.id && held.end === i ? held.to : [p[0], p[1]],
    );
  const shapes = $derived(
    (sighting?.rectangles ?? []).map((r) => ({
      ...r,
      at: r.points.map((p, i) =>
        held?.kind === 'rectangle' && held.id === r.id && held.end === i ? held.to : p,
      ),
      bad: reading?.rectangles?.find((x) => x.id === r.id)?.disagrees ?? false,
    })),
  );
  const MISFIT = ['#dfe8e4', '#ffd166', '#ff8f6b'];
  /** White for a trace that fits, yellow past a pixel and a half, warm past four. */
  const misfit = (id: string) => {
    const px = reading?.traces?.find((t) => t.id === id)?.misfit_px ?? 0;
    const scale = Math.max(plate.width, plate.height) / 1920;
    return px > 4 * scale ? MISFIT[2] : px > 1.5 * scale ? MISFIT[1] : null;
  };
  const trusted = (t: Trace) => t.trust ?? 1;
  const datum = $derived(held?.kind === 'datum' ? held.to : (sighting?.datum ?? null));

  /** A bracket that opens along the trace and leaves the pixel under it free. */
  function bracket(at: Point, toward: Point): string {
    const d = [at[0] - toward[0], at[1] - toward[1]];
    const n = Math.hypot(d[0], d[1]) || 1;
    const [ux, uy] = [d[0] / n, d[1] / n];
    const [vx, vy] = [-uy, ux];
    const p = (a: number, b: number) => `${at[0] + ux * a + vx * b} ${at[1] + uy * a + vy * b}`;
    return `M${p(0, 7)}L${p(5, 7)}L${p(5, -7)}L${p(0, -7)}`;
  }

  const across = $derived.by(() => {
    const h = reading?.horizon;
    if (!h || Math.abs(h[1]) < 1e-6) return null;
    const y = (x: number) => -(h[0] * x + h[2]) / h[1];
    return [view([0, y(0)]), view([plate.width, y(plate.width)])];
  });

  /** A trace run on to where its heading vanishes, or far past the picture towards it. */
  function onward(t: Trace): [Point, Point] | null {
    const v = reading?.headings?.find((h) => h.heading === t.heading)?.vanishing;
    if (!v) return null;
    const at = ends(t);
    const [a, b] = [at[0], at[at.length - 1]];
    const mid: Point = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
    const reach = 3 * Math.max(plate.width, plate.height);
    let d: Point = [v[0] - mid[0] * v[2], v[1] - mid[1] * v[2]];
    if (v[2] < 0) d = [-d[0], -d[1]];
    const n = Math.hypot(d[0], d[1]) || 1;
    const length = Math.abs(v[2]) > 1e-9 ? Math.min(n / Math.abs(v[2]), reach) : reach;
    return [mid, [mid[0] + (d[0] / n) * length, mid[1] + (d[1] / n) * length]];
  }
  const bad = (id: string) => reading?.traces?.find((t) => t.id === id)?.disagrees ?? false;
</script>

{#if checks.box}
  <BoxGrip {win} />
{/if}
{#if checks.edges && !sighting?.locked && !sighting?.by_eye}
  <Edges {win} />
{/if}
<Others {win} />
{#if checks.figures}
  <Figures {win} />
{/if}

{#if checks.horizon && across}
  <line
    x1={across[0][0]}
    y1={across[0][1]}
    x2={across[1][0]}
    y2={across[1][1]}
    stroke="#fff"
    stroke-width="1.4"
    stroke-dasharray="2 6"
    opacity="0.85"
  />
  {#each sighting?.traces ?? [] as t (t.id)}
    {@const run = onward(t)}
    {#if run}
      {@const [a, b] = run.map(view)}
      <line
        x1={a[0]}
        y1={a[1]}
        x2={b[0]}
        y2={b[1]}
        stroke={COLOURS[t.heading]}
        stroke-width="1"
        opacity={selection.has('trace', t.id) ? 0.8 : 0.22}
      />
    {/if}
  {/each}
{/if}

{#each sighting?.traces ?? [] as t (t.id)}
  {@const pts = ends(t).map(view)}
  {@const a = pts[0]}
  {@const b = pts[pts.length - 1]}
  {@const chosen = selection.has('trace', t.id)}
  {@const colour = chosen ? '#ffd166' : COLOURS[t.heading]}
  {@const off = misfit(t.id)}
  <g
    role="group"
    aria-label="trace {names.get(t.id)}"
    opacity={sighting?.by_eye ? 0.3 : 0.35 + 0.65 * trusted(t)}
  >
    <polyline
      points={pts.join(' ')}
      fill="none"
      stroke={off ?? '#0c1110'}
      stroke-width={off ? 5 : 3}
      opacity={off ? 0.5 : 0.45}
    />
    <polyline
      points={pts.join(' ')}
      fill="none"
      stroke={colour}
      stroke-width={chosen ? 1.8 : 1.3}
      stroke-dasharray={PATTERNS[t.heading]}
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
      <circle
        cx={at[0]}
        cy={at[1]}
        r="9"
        fill="transparent"
        data-grip="trace|{t.id}|{i + 1}"
        role="button"
        tabindex="-1"
        aria-label="Point {i + 2} of trace {names.get(t.id)}"
        style="cursor: move"
      />
    {/each}
    {#each [[a, pts[1], 0], [b, pts[pts.length - 2], pts.length - 1]] as const as [at, toward, end] (end)}
      <path
        d={bracket(at, toward)}
        fill="none"
        stroke={colour}
        stroke-width={chosen && selection.only?.part === end ? 3 : 1.8}
      />
      <circle
        cx={at[0]}
        cy={at[1]}
        r="11"
        fill="transparent"
        data-grip="trace|{t.id}|{end}"
        role="button"
        tabindex="-1"
        aria-label="End {end === 0 ? 1 : 2} of trace {names.get(t.id)}"
        style="cursor: move"
      />
    {/each}
    {#if bad(t.id)}
      {@const note = beside(win, [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2], 70)}
      <text {...note} class="note" fill="#ff8f6b">disagrees</text>
    {/if}
  </g>
{/each}

{#each sighting?.tapes ?? [] as t (t.id)}
  {@const [a, b] = tapeEnds(t).map(view)}
  {@const colour = selection.has('tape', t.id) ? '#ffd166' : '#dfe8e4'}
  <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke="#0c1110" stroke-width="4" opacity="0.5" />
  <line
    x1={a[0]}
    y1={a[1]}
    x2={b[0]}
    y2={b[1]}
    stroke={colour}
    stroke-width="2"
    stroke-dasharray="1 4"
  />
  <line
    x1={a[0]}
    y1={a[1]}
    x2={b[0]}
    y2={b[1]}
    stroke="transparent"
    stroke-width="12"
    data-grip="tape|{t.id}"
    style="cursor: pointer"
  />
  {#each [a, b] as at, end (end)}
    <path d="M{at[0] - 5} {at[1] - 5}l10 10m0 -10l-10 10" stroke={colour} stroke-width="1.6" />
    <circle
      cx={at[0]}
      cy={at[1]}
      r="10"
      fill="transparent"
      data-grip="tape|{t.id}|{end}"
      role="button"
      tabindex="-1"
      aria-label="End {end + 1} of tape"
      style="cursor: move"
    />
  {/each}
  <text x={(a[0] + b[0]) / 2 + 8} y={(a[1] + b[1]) / 2 - 6} class="note num" fill={colour}
    >{t.on === 'up' ? '↥ ' : t.on === 'proxy' ? '▱ ' : ''}{length(t.length_m)}</text
  >
{/each}

{#each shapes as r (r.id)}
  {@const at = r.at.map(view)}
  {@const chosen = selection.has('rectangle', r.id)}
  <g
    role="group"
    aria-label="rectangle {r.id.split('-')[1]}"
    opacity={0.35 + 0.65 * (r.trust ?? 1)}
  >
    {#each at as p, i (i)}
      {@const q = at[(i + 1) % 4]}
      {@const h = r.headings[i % 2]}
      <line
        x1={p[0]}
        y1={p[1]}
        x2={q[0]}
        y2={q[1]}
        stroke="#0c1110"
        stroke-width="3"
        opacity="0.45"
      />
      <line
        x1={p[0]}
        y1={p[1]}
        x2={q[0]}
        y2={q[1]}
        stroke={chosen ? '#ffd166' : COLOURS[h]}
        stroke-width={chosen ? 1.8 : 1.4}
        stroke-dasharray={PATTERNS[h]}
      />
    {/each}
    <polygon
      points={at.join(' ')}
      fill={chosen ? '#ffd16618' : '#ffffff0c'}
      stroke="transparent"
      stroke-width="10"
      data-grip="rectangle|{r.id}"
      style="cursor: pointer"
    />
    {#each at as p, i (i)}
      {@const q = at[(i + 1) % 4]}
      {@const s = at[(i + 3) % 4]}
      {@const n = Math.hypot(q[0] - p[0], q[1] - p[1]) || 1}
      {@const m = Math.hypot(s[0] - p[0], s[1] - p[1]) || 1}
      <path
        d="M{p[0] + ((q[0] - p[0]) / n) * 13} {p[1] + ((q[1] - p[1]) / n) * 13}l{-(
          (q[0] - p[0]) /
          n
        ) * 7} {-((q[1] - p[1]) / n) * 7}M{p[0] + ((s[0] - p[0]) / m) * 13} {p[1] +
          ((s[1] - p[1]) / m) * 13}l{-((s[0] - p[0]) / m) * 7} {-((s[1] - p[1]) / m) * 7}"
        stroke={chosen ? '#ffd166' : '#dfe8e4'}
        stroke-width={chosen && selection.only?.part === i ? 4 : 2.4}
      />
      <circle
        cx={p[0]}
        cy={p[1]}
        r="11"
        fill="transparent"
        data-grip="rectangle|{r.id}|{i}"
        role="button"
        tabindex="-1"
        aria-label="Corner {i + 1} of rectangle {r.id.split('-')[1]}"
        style="cursor: move"
      />
    {/each}
    {#if r.bad}
      <text {...beside(win, at[0], 70)} class="note" fill="#ff8f6b">disagrees</text>
    {/if}
  </g>
{/each}
{#if sightHand.corners.length}
  {@const at = [...sightHand.corners, ...(sightHand.hover ? [sightHand.hover] : [])].map(view)}
  <polyline points={at.join(' ')} fill="none" stroke="#ffd166" stroke-width="1.5" />
{/if}

{#each reading?.corners ?? [] as c (c.id)}
  {#if c.at}
    {@const p = view(c.at)}
    {@const mark = sighting?.corners?.find((x) => x.id === c.id)}
    {#each mark?.traces ?? [] as id (id)}
      {@const t = sighting?.traces?.find((x) => x.id === id)}
      {#if t}
        {@const m = view(t.points[0])}
        <line
          x1={m[0]}
          y1={m[1]}
          x2={p[0]}
          y2={p[1]}
          stroke="#dfe8e4"
          stroke-width="1"
          stroke-dasharray="3 5"
          opacity="0.7"
        />
      {/if}
    {/each}
    <path
      d="M{p[0]} {p[1] - 8}l8 8l-8 8l-8 -8z"
      fill={selection.has('corner', c.id) ? '#ffd16655' : '#0c111055'}
      stroke={selection.has('corner', c.id) ? '#ffd166' : '#dfe8e4'}
      stroke-width="1.6"
      data-grip="corner|{c.id}"
      role="button"
      tabindex="-1"
      aria-label="Corner where two traces meet"
      style="cursor: pointer"
    />
  {/if}
{/each}

{#each [sightHand.settling, sightHand.draft].filter((d) => d !== null) as draft (draft)}
  {@const a = view(draft.from)}
  {@const b = view(draft.to)}
  {@const tape = tool.name === 'tape'}
  <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke="#0c1110" stroke-width="3" opacity="0.45" />
  <line
    x1={a[0]}
    y1={a[1]}
    x2={b[0]}
    y2={b[1]}
    stroke={tape || drawing.heading === 'direction' ? '#dfe8e4' : COLOURS[drawing.heading]}
    stroke-width="1.6"
    stroke-dasharray={tape || drawing.heading === 'direction' ? '1 4' : PATTERNS[drawing.heading]}
  />
{/each}

{#if datum}
  {@const at = view(datum)}
  <g transform="translate({at[0]} {at[1]})">
    <path d="M-9 0h6M3 0h6M0 -9v6M0 3v6" stroke="#0c1110" stroke-width="4" opacity="0.6" />
    <path d="M-9 0h6M3 0h6M0 -9v6M0 3v6" stroke="#ffd166" stroke-width="1.8" />
    <text x="11" y="16" class="note" fill="#ffd166"
      >datum 0, {sighting?.datum_level_m ? length(sighting.datum_level_m) : 0}, 0</text
    >
    {#if !sighting?.locked}
      <circle
        r="12"
        fill="transparent"
        data-grip="datum"
        role="button"
        tabindex="-1"
        aria-label="Datum"
        style="cursor: move"
      />
    {/if}
  </g>
{/if}

{#if sighting?.by_eye && !sighting.locked}
  <EyeHandles {win} />
{/if}
