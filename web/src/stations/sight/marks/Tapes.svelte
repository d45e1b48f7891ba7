<script lang="ts">
  /** Tapes with their lengths, and the signs of what each lies on. */
  import { project } from '../../../project/project.svelte';
  import { selection } from '../../../project/selection.svelte';
  import { length } from '../../../lib/units.svelte';
  import { toView, type Window2D } from '../../../views/camera';
  import Grip from '../../../views/marks/Grip.svelte';
  import Stroke from '../../../views/marks/Stroke.svelte';
  import { heldPoints } from './held';

  let { win }: { win: Window2D } = $props();
  const SIGN: Record<string, string> = { up: '↥ ', proxy: '▱ ' };
</script>

{#each project.scene!.sighting.tapes ?? [] as t (t.id)}
  {@const ends = heldPoints('tape', t).map((p) => toView(win, p))}
  {@const [a, b] = ends}
  {@const colour = selection.has('tape', t.id) ? 'var(--color-lantern)' : 'var(--color-ink)'}
  <Stroke points={ends} {colour} width={2} dash="1 4" under={4} underOpacity={0.5} />
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
  {#each ends as at, end (end)}
    <path d="M{at[0] - 5} {at[1] - 5}l10 10m0 -10l-10 10" stroke={colour} stroke-width="1.6" />
    <Grip {at} r={10} grip="tape|{t.id}|{end}" label="End {end + 1} of tape" />
  {/each}
  <text x={(a[0] + b[0]) / 2 + 8} y={(a[1] + b[1]) / 2 - 6} class="note num" fill={colour}
    >{SIGN[t.on ?? ''] ?? ''}{length(t.length_m)}</text
  >
{/each}
