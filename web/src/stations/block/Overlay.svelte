<script lang="ts">
  /** The picks of a proxy being stood, and the handles of the selected one. */
  import { project as open } from '../../project/project.svelte';
  import { inWorld, project, toView, type Point, type Window2D } from '../../views/camera';
  import Grip from '../../views/marks/Grip.svelte';
  import Stroke from '../../views/marks/Stroke.svelte';
  import { far } from '../../views/hand';
  import { length } from '../../lib/units.svelte';
  import { tool } from '../../project/tool.svelte';
  import { blockHand } from './hand.svelte';
  import { endsOf, hinge, SWINGING } from './hinge.svelte';
  import LeakMap from './marks/LeakMap.svelte';
  import Labels from './marks/Labels.svelte';
  import { parts } from './parts.svelte';
  import { underPointer } from './pointed.svelte';
  import { selection } from '../../project/selection.svelte';
  import { show } from './show.svelte';

  let { win }: { win: Window2D } = $props();

  const GRIP = 11; // how near a press takes hold of a handle, unless another is nearer, px
  const camera = $derived(open.reading?.camera);
  const view = (p: Point) => toView(win, p);
  const id = $derived(selection.one('proxy'));
  const shown = $derived(id ? open.shapes.get(id) : undefined);
  const LABELS: Record<string, string> = { foot: 'Foot', top: 'Top', turn: 'Turn' };

  const handles = $derived.by(() => {
    if (!shown || !camera || blockHand.picking || show.parts) return [];
    if (tool.name === SWINGING) return [];
    const seen = shown.handles.flatMap((h) => {
      const held = blockHand.held;
      const mine = held?.id === shown.id && held.role === h.role;
      const at = mine ? held.to : project(camera, inWorld(shown.frame, h.at));
      const label = LABELS[h.role] ?? `Corner ${Number(h.role.slice(7)) + 1}`;
      return at ? [{ role: h.role, at: view(at), label, held: mine }] : [];
    });
    const room = (from: Point, role: string) =>
      Math.min(...seen.filter((h) => h.role !== role).map((h) => far(h.at, from)));
    // on a small proxy the ring would lie over a corner: it is put further out, where it is free
    const ring = seen.find((h) => h.role === 'turn' && !h.held);
    const foot = seen.find((h) => h.role === 'foot');
    if (ring && foot) {
      const out = Math.max(far(ring.at, foot.at), 1e-6);
      const by = [(ring.at[0] - foot.at[0]) / out, (ring.at[1] - foot.at[1]) / out];
      for (let more = 0; more < 40 && room(ring.at, 'turn') < 2 * GRIP; more += 2)
        ring.at = [ring.at[0] + 2 * by[0], ring.at[1] + 2 * by[1]];
    }
    return seen.map((h) => ({ ...h, grip: Math.min(Math.max(room(h.at, h.role) / 2, 5), GRIP) }));
  });
  const hinged = $derived.by(() => {
    if (!shown || !camera || tool.name !== SWINGING) return null;
    const ends = endsOf(shown, hinge.side).map((p) => project(camera, p as never));
    return ends[0] && ends[1] ? [view(ends[0]), view(ends[1])] : null;
  });
  const line = $derived(
    [...blockHand.picks, ...(blockHand.picking && blockHand.hover ? [blockHand.hover] : [])].map(
      view,
    ),
  );

  const MOST_EDGES = 600; // of a selected proxy's outline, drawn over the picture
  /** The edges of what is selected, dark beneath and bright above, so that they stand out on any
   *  picture. */
  const edges = $derived.by(() => {
    if (!camera || !show.parts) return '';
    const out: string[] = [];
    for (const shape of selection.all('proxy').flatMap((one) => open.shapes.get(one) ?? [])) {
      const { points, wire } = shape.mesh;
      if (wire.length > 2 * MOST_EDGES) continue;
      const seen = (i: number) =>
        project(camera, inWorld(shape.frame, points.subarray(3 * i, 3 * i + 3) as never));
      for (let i = 0; i < wire.length; i += 2) {
        const [a, b] = [seen(wire[i]), seen(wire[i + 1])];
        if (a && b) out.push(`M${view(a).join(' ')}L${view(b).join(' ')}`);
      }
    }
    return out.join('');
  });
  /** A part's lines as a path, and a cross where it is one place. */
  function drawn(lines: number[][][] | undefined): string {
    if (!camera || !lines) return '';
    return lines
      .map((world) => {
        const seen = world.flatMap((p) => {
          const at = project(camera, p);
          return at ? [view(at)] : [];
        });
        if (seen.length === 1) {
          const [x, y] = seen[0];
          return `M${x - 6} ${y}h12M${x} ${y - 6}v12`;
        }
        return seen.map((p, i) => `${i ? 'L' : 'M'}${p.join(' ')}`).join('');
      })
      .join('');
  }
  const meant = $derived(
    show.parts && !blockHand.picking && !blockHand.pulled ? drawn(underPointer.found?.lines) : '',
  );
  const taken = $derived(drawn(parts.now?.lines));
  /** Where the pointer's surface is, and which way it faces: a dot and a stalk. */
  const stalk = $derived.by(() => {
    const found = underPointer.found;
    if (!camera || !found || !blockHand.picking) return null;
    const size = found.distance * 0.06;
    const [a, b] = [found.point, found.point.map((v, i) => v + size * found.normal[i])].map((p) =>
      project(camera, p),
    );
    return a && b ? [view(a), view(b)] : null;
  });
  const swept = $derived.by(() => {
    const sweep = blockHand.sweep;
    if (!sweep) return null;
    const [a, b] = [view(sweep.from), view(sweep.to)];
    return {
      x: Math.min(a[0], b[0]),
      y: Math.min(a[1], b[1]),
      width: Math.abs(a[0] - b[0]),
      height: Math.abs(a[1] - b[1]),
    };
  });
</script>

{#if show.leaks}<LeakMap {win} />{/if}
{#if edges}
  <path d={edges} fill="none" stroke="var(--color-ground)" stroke-width="3" opacity="0.7" />
  <path d={edges} fill="none" stroke="var(--color-lantern)" stroke-width="1" />
{/if}
{#if meant}
  <path
    d={meant}
    fill="var(--color-jade)"
    fill-opacity="0.16"
    stroke="var(--color-ground)"
    stroke-width="4"
  />
  <path d={meant} fill="none" stroke="var(--color-jade)" stroke-width="2" />
{/if}
{#if taken && !blockHand.pulled}
  <path
    d={taken}
    fill="var(--color-lantern)"
    fill-opacity="0.2"
    stroke="var(--color-ground)"
    stroke-width="4.5"
  />
  <path d={taken} fill="none" stroke="var(--color-lantern)" stroke-width="2.4" />
{/if}
{#if stalk}
  {@const [a, b] = stalk}
  <path d="M{a.join(' ')}L{b.join(' ')}" stroke="var(--color-ground)" stroke-width="4" />
  <path d="M{a.join(' ')}L{b.join(' ')}" stroke="var(--color-jade)" stroke-width="1.8" />
  <text
    x={b[0] + 8}
    y={b[1] - 4}
    class="num"
    font-size="12"
    fill="var(--color-ink)"
    stroke="var(--color-ground)"
    stroke-width="3.5"
    paint-order="stroke">{length(underPointer.found!.distance)}</text
  >
{/if}
{#if swept}
  <rect
    {...swept}
    fill="var(--color-lantern)"
    fill-opacity="0.12"
    stroke="var(--color-lantern)"
    stroke-dasharray="5 4"
  />
{/if}
<Labels {win} />

{#if blockHand.picking}
  {#each open.reading?.corners ?? [] as c (c.id)}
    {#if c.at}
      {@const [x, y] = view(c.at as Point)}
      <path
        d="M{x} {y - 8}l8 8l-8 8l-8 -8z"
        fill="none"
        stroke="var(--color-ink)"
        stroke-width="1.6"
      />
    {/if}
  {/each}
{/if}
{#if line.length > 1}
  <Stroke points={line} colour="var(--color-lantern)" width={1.4} dash="5 4" under={0} />
{/if}
{#each blockHand.picks.map(view) as at, i (i)}
  <path
    d="M{at[0] - 6} {at[1]}h4M{at[0] + 2} {at[1]}h4M{at[0]} {at[1] - 6}v4M{at[0]} {at[1] + 2}v4"
    stroke="var(--color-lantern)"
    stroke-width="2"
  />
{/each}

{#if hinged}
  <Stroke points={hinged} colour="var(--color-lantern)" width={3} under={2} />
{/if}
{#each handles as h (h.role)}
  <g transform="translate({h.at[0]} {h.at[1]})">
    {#if h.role === 'top'}
      <path d="M-7 3L0 -5L7 3" fill="none" stroke="var(--color-ground)" stroke-width="5" />
      <path d="M-7 3L0 -5L7 3" fill="none" stroke="var(--color-lantern)" stroke-width="2.2" />
    {:else if h.role === 'turn'}
      <path d="M-6 2a6 6 0 1 1 4 4" fill="none" stroke="var(--color-ground)" stroke-width="5" />
      <path d="M-6 2a6 6 0 1 1 4 4" fill="none" stroke="var(--color-lantern)" stroke-width="2.2" />
    {:else if h.role === 'foot'}
      <path
        d="M0 -6L6 0L0 6L-6 0z"
        fill="var(--color-lantern)"
        stroke="var(--color-ground)"
        stroke-width="1.5"
      />
    {:else}
      <rect
        x="-4"
        y="-4"
        width="8"
        height="8"
        fill="var(--color-ground)"
        stroke="var(--color-lantern)"
        stroke-width="1.8"
      />
    {/if}
    <Grip
      r={h.grip}
      grip="{id}|{h.role}"
      label="{h.label} of the selected proxy"
      cursor={h.role === 'top' ? 'ns-resize' : 'move'}
    />
  </g>
{/each}
