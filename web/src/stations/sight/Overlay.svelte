<script lang="ts">
  /** What lies over the plate in Sight. */
  import { project } from '../../project/project.svelte';
  import { tool } from '../../project/tool.svelte';
  import { length } from '../../lib/units.svelte';
  import { colourOf, patternOf } from '../../project/headings';
  import { toView, type Window2D } from '../../views/camera';
  import Grip from '../../views/marks/Grip.svelte';
  import Stroke from '../../views/marks/Stroke.svelte';
  import BoxGrip from './BoxGrip.svelte';
  import { checks } from './checks.svelte';
  import { drawing } from './drawing.svelte';
  import Edges from './Edges.svelte';
  import EyeHandles from './EyeHandles.svelte';
  import Figures from './Figures.svelte';
  import { sightHand } from './hand.svelte';
  import Corners from './marks/Corners.svelte';
  import Horizon from './marks/Horizon.svelte';
  import Rectangles from './marks/Rectangles.svelte';
  import Tapes from './marks/Tapes.svelte';
  import Traces from './marks/Traces.svelte';
  import Others from './Others.svelte';
  import { proposing } from './proposal.svelte';

  let { win }: { win: Window2D } = $props();

  const sighting = $derived(project.scene?.sighting);
  const held = $derived(sightHand.held);
  $effect(() => proposing.follow());
  $effect(() => proposing.hear());

  const datum = $derived(held?.kind === 'datum' ? held.to : (sighting?.datum ?? null));
  const drafts = $derived([sightHand.settling, sightHand.draft].filter((d) => d !== null));
  const plain = $derived(tool.name === 'tape' || drawing.heading === 'direction');
</script>

{#if checks.taken === null}
  {#if checks.box}
    <BoxGrip {win} />
  {/if}
  {#if checks.edges && !sighting?.locked && !sighting?.by_eye && !sighting?.given}
    <Edges {win} />
  {/if}
  <Others {win} />
  {#if checks.figures}
    <Figures {win} />
  {/if}
  {#if checks.horizon}
    <Horizon {win} />
  {/if}
  <Traces {win} />
  <Tapes {win} />
  <Rectangles {win} />
  <Corners {win} />

  {#each drafts as draft (draft)}
    <Stroke
      points={[toView(win, draft.from), toView(win, draft.to)]}
      colour={plain || drawing.heading === 'direction'
        ? 'var(--color-ink)'
        : colourOf(drawing.heading)}
      dash={plain || drawing.heading === 'direction' ? '1 4' : patternOf(drawing.heading)}
    />
  {/each}

  {#if datum}
    {@const at = toView(win, [datum[0], datum[1]])}
    <g transform="translate({at[0]} {at[1]})">
      <path
        d="M-9 0h6M3 0h6M0 -9v6M0 3v6"
        stroke="var(--color-ground)"
        stroke-width="4"
        opacity="0.6"
      />
      <path d="M-9 0h6M3 0h6M0 -9v6M0 3v6" stroke="var(--color-lantern)" stroke-width="1.8" />
      <text x="11" y="16" class="note" fill="var(--color-lantern)"
        >datum 0, {sighting?.datum_level_m ? length(sighting.datum_level_m) : 0}, 0</text
      >
      {#if !sighting?.locked}
        <Grip r={12} grip="datum" label="Datum" />
      {/if}
    </g>
  {/if}

  {#if sighting?.by_eye && !sighting.given && !sighting.locked}
    <EyeHandles {win} />
  {/if}
{/if}
