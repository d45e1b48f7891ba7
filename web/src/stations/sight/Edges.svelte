<script lang="ts">
  /** The edges that the picture proposes, faint; the ones being swept; the one worth most. */
  import { tool } from '../../project/tool.svelte';
  import { project } from '../../project/project.svelte';
  import { colourOf } from '../../project/headings';
  import { plain } from '../../lib/words';
  import { beside, toView, type Window2D } from '../../views/camera';
  import type { ProposedEdge } from '../../lib/api/client';
  import { proposing } from './proposal.svelte';
  import { sightHand } from './hand.svelte';

  let { win }: { win: Window2D } = $props();

  const d = (edges: ProposedEdge[]) =>
    edges.map((e) => `M${e.a[0]} ${e.a[1]}L${e.b[0]} ${e.b[1]}`).join('');
  const edges = $derived(proposing.found?.edges ?? []);
  const by = $derived(
    [...new Set(edges.flatMap((e) => e.heading ?? []))].map((h) => ({
      h,
      d: d(edges.filter((e) => e.heading === h)),
    })),
  );
  const rest = $derived(d(edges.filter((e) => !e.heading)));
  const swept = $derived(d(sightHand.swept));
  // one transform moves them all: panning stays smooth however many there are
  const moved = $derived(
    `matrix(${win.zoom} 0 0 ${win.zoom} ${-win.x * win.zoom} ${-win.y * win.zoom})`,
  );
  const over = $derived(
    tool.name === 'none' || tool.name === 'take'
      ? sightHand.hover && !sightHand.held && sightHand.near(sightHand.hover)
      : null,
  );
  const advice = $derived(proposing.found?.advice ?? null);
  const label = $derived(
    advice &&
      toView(win, [
        (advice.edge.a[0] + advice.edge.b[0]) / 2,
        (advice.edge.a[1] + advice.edge.b[1]) / 2,
      ]),
  );
  const mm = $derived(36 / Math.max(project.scene!.plate.width, project.scene!.plate.height));
</script>

<g transform={moved} fill="none" pointer-events="none">
  <path
    d={rest}
    stroke="var(--color-ink)"
    stroke-width="1"
    opacity={by.every(({ d }) => !d) || tool.name === 'take' ? 0.5 : 0.16}
    vector-effect="non-scaling-stroke"
  />
  {#each by as { h, d } (h)}
    <path
      {d}
      stroke={colourOf(h)}
      stroke-width="1"
      opacity={tool.name === 'take' ? 0.8 : 0.4}
      vector-effect="non-scaling-stroke"
    />
  {/each}
  {#if over}
    <path
      d={d([over])}
      stroke={over.heading ? colourOf(over.heading) : 'var(--color-ink)'}
      stroke-width="2.6"
      vector-effect="non-scaling-stroke"
    />
  {/if}
  <path
    d={swept}
    stroke="var(--color-lantern)"
    stroke-width="2.2"
    vector-effect="non-scaling-stroke"
  />
  {#if advice}
    <path
      d={d([advice.edge])}
      stroke="var(--color-lantern)"
      stroke-width="7"
      opacity="0.32"
      stroke-linecap="round"
      vector-effect="non-scaling-stroke"
    />
    <path
      d={d([advice.edge])}
      stroke={colourOf(advice.edge.heading!)}
      stroke-width="1.8"
      vector-effect="non-scaling-stroke"
    />
  {/if}
</g>
{#if advice && label}
  <text {...beside(win, [label[0], label[1] + 26], 150)} class="note" fill="var(--color-lantern)">
    N takes it: ± {plain(advice.focal_sigma_then * mm, 2)} mm
  </text>
{/if}
