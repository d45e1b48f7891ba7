<script lang="ts">
  /** What to do next, with the command that does it. */
  import Advice from '../../../lib/Advice.svelte';
  import { Kbd } from 'flowbite-svelte';
  import { checks } from '../checks.svelte';
  import { drawing } from '../drawing.svelte';
  import { tool } from '../../../project/tool.svelte';
  import { project } from '../../../project/project.svelte';
  import { colourOf, nameOf } from '../../../project/headings';
  import { plain } from '../../../lib/words';
  import { proposing } from '../proposal.svelte';
  import { flatten } from '../flatten';
  import { sightHand } from '../hand.svelte';
  import Press from '../../../lib/Press.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const r = $derived(project.reading);
  const found = $derived(proposing.found);
  const cropped = $derived(!!found?.cropped && !sighting.principal && !sighting.locked);
  const bent = $derived(!!found?.bent && !sighting.bend && !sighting.locked);
  const split = $derived(sighting.locked ? null : (found?.split ?? null));
  const usable = $derived((found?.edges ?? []).filter((e) => e.heading).length);
  const changed = $derived(project.misses);
  const worst = $derived(Math.max(0, ...(changed?.of ?? []).map((m) => m.px)));
  const mm = $derived(36 / Math.max(project.scene!.plate.width, project.scene!.plate.height));
  const LAID = [
    ['ground', 'On the ground'],
    ['up', 'Upright'],
    ['proxy', 'On a proxy'],
  ] as const;
  const ASKS = ['first', 'second', 'third', 'last'];
</script>

<Advice class="mt-2.5">
  {#if tool.name === 'take'}
    Click an edge to take it, or sweep over many. <b>{usable}</b> are sorted{drawing.heading ===
    'direction'
      ? ''
      : `; any other goes into ${nameOf(drawing.heading)}`}.
  {:else if tool.name === 'trace'}
    {#if drawing.heading === 'direction'}
      Draw along an edge: it takes the heading it runs along. It pulls itself onto the edge; hold
      <Kbd>Shift</Kbd> to keep it where you draw.
    {:else}
      Draw along an edge that runs
      <b style="color: {colourOf(drawing.heading)}">{nameOf(drawing.heading)}</b>. It pulls itself
      onto the edge; hold <Kbd>Shift</Kbd> to keep it where you draw.
    {/if}
  {:else if tool.name === 'rectangle'}
    Press on the {ASKS[sightHand.corners.length]} corner of something rectangular, in order round it.
  {:else if tool.name === 'corner'}
    {sightHand.first
      ? 'Now press on the trace that would meet it.'
      : 'Press on one of two traces that would meet at a hidden corner.'}
  {:else if tool.name === 'datum'}
    Press on a corner that lies on the ground: it becomes the world's zero.
  {:else if tool.name === 'tape'}
    {drawing.laid === 'up'
      ? 'Draw from a foot on the ground up to the top, then type its height.'
      : drawing.laid === 'proxy'
        ? 'Draw along a length on a proxy, then type its measured length.'
        : 'Draw along a length on the ground that you know, then type its measured length.'}
    <div class="mt-2 grid grid-cols-3 gap-1" role="radiogroup" aria-label="What the tape lies on">
      {#each LAID as [kind, name] (kind)}
        <Press
          class="px-1 text-[12px]"
          role="radio"
          aria-checked={drawing.laid === kind}
          disabled={kind === 'proxy' && !project.scene?.proxies?.length}
          onclick={() => (drawing.laid = kind)}>{name}</Press
        >
      {/each}
    </div>
  {:else if changed}
    <b class="text-warning">The sighting has changed under what is built.</b>
    {#if worst > 0}
      The proxies now miss by up to <span class="num">{plain(worst, 1)} px</span
      >{changed.focal_px_before && r?.focal_px
        ? `; the focal length was ${plain(changed.focal_px_before * mm, 1)} mm.`
        : '.'}
    {:else}
      There is no camera to hold them to now.
    {/if}
    <div class="mt-2 grid grid-cols-2 gap-1.5">
      <Press onclick={() => project.keep({ verb: 'GoBackToBuilt' })}>Go back</Press>
      <Press onclick={() => project.keep({ verb: 'AcceptSighting' })}>Build on</Press>
    </div>
  {:else if !sighting.traces?.length && !sighting.rectangles?.length && !sighting.by_eye && !sighting.given}
    {#if !found}
      Looking for straight edges in the picture…
    {:else if found.enough}
      {found.says} Take a good spread of them, then look whether the grid lies right.
      <Press
        main
        class="mt-2 w-full"
        disabled={sighting.locked}
        onclick={() => project.keep({ verb: 'TakeSpread' })}
        >Take a good spread <Kbd class="border-current bg-transparent text-inherit">G</Kbd></Press
      >
    {:else}
      {found.says} A click takes an edge into
      {drawing.heading === 'direction'
        ? 'the heading it seems to run along'
        : nameOf(drawing.heading)}; two a heading are enough to sort the rest.
      <Press main class="mt-2 w-full" onclick={() => tool.take('take')}
        >Take edges <Kbd class="border-current bg-transparent text-inherit">E</Kbd></Press
      >
    {/if}
  {:else if cropped}
    <b>The picture seems cropped or shifted.</b> The three headings agree much better once the
    principal point may leave the middle.
    <Press
      main
      class="mt-2 w-full"
      onclick={() => project.keep({ verb: 'SetPrincipal', principal: 'solve' })}
      >Solve the principal point</Press
    >
  {:else if split}
    <b>{nameOf(split.heading)} runs two ways.</b>
    {split.traces.length} of its traces agree with the rest once they are a bearing of their own, turned
    by <span class="num">{plain(split.turn_deg, 1)}°</span>.
    <Press
      main
      class="mt-2 w-full"
      onclick={() =>
        project.keep({ verb: 'SetHeadings', traces: split.traces, heading: split.letter })}
      >Make them bearing {split.letter}</Press
    >
  {:else if bent}
    <b>The lens seems to bend.</b> The traces agree much better under a bent lens. Solve its
    bending, then flatten the plate.
    <Press main class="mt-2 w-full" onclick={() => project.keep({ verb: 'SetBend', bend: 'solve' })}
      >Solve the bending</Press
    >
  {:else}
    {r?.next_step}
    {#if r?.bend && !r.bend.flat}
      <Press main class="mt-2 w-full" onclick={() => flatten()}>Flatten the plate</Press>
    {:else if !r?.focal_px && usable >= 4 && !sighting.locked}
      <Press main class="mt-2 w-full" onclick={() => project.keep({ verb: 'TakeSpread' })}
        >Take a good spread of edges <Kbd>G</Kbd></Press
      >
    {:else if !r?.trouble && !sighting.datum && r?.focal_px && !sighting.locked && !sighting.given}
      <Press main class="mt-2 w-full" onclick={() => tool.choose('datum')}
        >Pick the datum <Kbd>D</Kbd></Press
      >
    {/if}
  {/if}
</Advice>
{#if found?.advice && !sighting.given && tool.name === 'none' && checks.edges && !sighting.locked && !changed}
  <Press
    kind="bare"
    class="mt-1.5 flex w-full items-center gap-2 rounded-md px-2 py-1 text-left text-[12px] text-quiet hover:bg-hover"
    onclick={() => project.keep({ verb: 'TakeAdvised' })}
  >
    <span class="flex-1"
      >The marked {nameOf(found.advice.edge.heading!)} edge brings ± {plain(
        found.advice.focal_sigma_now * mm,
      )} to ± {plain(found.advice.focal_sigma_then * mm)} mm</span
    >
    <Kbd>N</Kbd>
  </Press>
{/if}
