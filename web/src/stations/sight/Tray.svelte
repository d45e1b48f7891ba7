<script lang="ts">
  /** The tray of Sight: what to do next, then what is drawn, what is known, and what is checked. */
  import Foot from '../../lib/Foot.svelte';
  import { Kbd } from 'flowbite-svelte';
  import { tool } from '../../project/tool.svelte';
  import { project } from '../../project/project.svelte';
  import { route } from '../../project/route.svelte';
  import Checks from './parts/Checks.svelte';
  import Compare from './parts/Compare.svelte';
  import Disagreement from './parts/Disagreement.svelte';
  import ByEye from './parts/ByEye.svelte';
  import CameraFile from './parts/CameraFile.svelte';
  import Headings from './parts/Headings.svelte';
  import LensFacts from './parts/LensFacts.svelte';
  import Next from './parts/Next.svelte';
  import Rectangles from './parts/Rectangles.svelte';
  import Section from '../../lib/Section.svelte';
  import Traces from './parts/Traces.svelte';
  import ZeroAndSize from './parts/ZeroAndSize.svelte';
  import Press from '../../lib/Press.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const r = $derived(project.reading);
  const locked = $derived(sighting.locked ?? false);
  const TOOLS = [
    ['take', 'Take', 'E'],
    ['trace', 'Trace', 'T'],
    ['rectangle', 'Rectangle', 'R'],
    ['datum', 'Datum', 'D'],
    ['tape', 'Tape', 'M'],
    ['corner', 'Corner', 'C'],
  ] as const;
  const along = $derived(!!project.scene?.passed && !!project.scene.plate.playing);
</script>

<div class="grid grid-cols-[repeat(auto-fit,minmax(6.2rem,1fr))] gap-1.5">
  {#each TOOLS as [mine, name, key] (mine)}
    <Press
      class="px-1"
      aria-pressed={tool.name === mine}
      disabled={locked ||
        (!!sighting.given && mine !== 'tape') ||
        (!!sighting.by_eye && mine !== 'datum' && mine !== 'tape')}
      onclick={() => tool.choose(mine)}>{name} <Kbd>{key}</Kbd></Press
    >
  {/each}
</div>

<Next />

{#if !sighting.by_eye && !sighting.given}
  <Headings />
  <Traces />
  {#if sighting.rectangles?.length}
    <Rectangles />
  {/if}
{/if}

<Section
  title="Zero and size"
  note={r?.lengths_disagree
    ? 'lengths disagree'
    : sighting.given
      ? 'its file’s'
      : sighting.datum
        ? 'datum set'
        : 'no datum yet'}
  warns={r?.lengths_disagree}
  open={!sighting.given && (!!r?.focal_px || !!sighting.datum)}
>
  <ZeroAndSize />
</Section>
<Section
  title="Lens"
  note={sighting.focal
    ? 'focal given'
    : r?.bend
      ? r.bend.flat
        ? 'flattened'
        : 'bends'
      : sighting.given
        ? 'its file’s'
        : sighting.by_eye
          ? 'by eye'
          : 'focal solved'}
>
  <LensFacts />
</Section>
<Section title="Checks" note={along ? 'along the footage too' : 'grid, box, figures'} open={along}>
  <Checks />
</Section>
<Section
  title="Camera from a file"
  note={sighting.given ? 'in use' : 'known already?'}
  open={!!sighting.given}
>
  <CameraFile />
</Section>
<Section
  title="By eye"
  note={sighting.by_eye && !sighting.given ? 'in use' : 'no straight line?'}
  open={!!sighting.by_eye && !sighting.given}
>
  <ByEye />
</Section>
<Section
  title="Trust"
  note="where headings disagree"
  open={r?.verdict === 'Rough' && (r.fit_px ?? 0) > 4}
>
  <Disagreement />
</Section>
<Section
  title="Compare"
  note={project.scene?.kept_sightings?.length ? `${project.scene.kept_sightings.length} kept` : ''}
  open={!!project.scene?.kept_sightings?.length}
>
  <Compare />
</Section>

<Foot class="grid grid-cols-2 gap-2">
  <Press
    aria-pressed={locked}
    disabled={!r?.settled && !locked}
    onclick={() => project.keep({ verb: 'SetLock', locked: !locked })}
    >{locked ? 'Unlock sighting' : 'Lock sighting'}</Press
  >
  <Press disabled={!r?.settled} onclick={() => route.go(route.project, 'block')} main={r?.settled}
    >On to Block</Press
  >
</Foot>
