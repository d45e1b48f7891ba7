<script lang="ts">
  /** A camera that is known already: from a file, in its own place, or beside what is sighted. */
  import { Checkbox } from 'flowbite-svelte';
  import FileField from '../../../lib/FileField.svelte';
  import Press from '../../../lib/Press.svelte';
  import Words from '../../../lib/Words.svelte';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import type { Point } from '../../../views/camera';
  import { FEWEST, MOST } from './ground';
  import GroundPicks from './GroundPicks.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const locked = $derived(sighting.locked ?? false);
  const settled = $derived(!!project.reading?.settled && !sighting.given);
  let picker = $state<HTMLInputElement>();
  let place = $state<'own' | 'sighted' | 'picked'>('own');
  let frame = $state(project.scene?.passed?.reference ?? 0);
  let lifted = $state<number | null>(null);
  let size = $state(1);
  let meshes = $state(false);
  let which = $state('');
  let said = $state.raw<string[]>([]);
  const plate = $derived(project.scene!.plate);
  const plays = $derived((plate.playing?.count ?? 1) > 1);
  let picking = $state(false);
  let pictures = $state<[number, number]>([
    0,
    Math.max((project.scene?.plate.playing?.count ?? 1) - 1, 0),
  ]);
  let marks = $state<[Point[], Point[]]>([[], []]);
  let apart_m = $state<number | null>(null);
  const picked = $derived(Math.min(marks[0].length, marks[1].length, MOST));
  const HOW = {
    own: 'Its own numbers are the world’s.',
    sighted: 'At the still’s frame it is the sighted camera; only its motion is taken.',
    picked:
      'It comes from another program that does not know which way is up: places on the ground, in ' +
      'two of its pictures, say so. The first is the zero, the second lies along X.',
  };

  async function bring(file: File) {
    said = [];
    const eye_height_m = place === 'sighted' ? null : lifted;
    const places = marks[0].slice(0, picked).map((p, i) => [p, marks[1][i]]);
    const picks = place === 'picked' ? { pictures, places, apart_m } : null;
    const asked = { camera: which.trim() || null, place, frame, size, eye_height_m, picks };
    const fields = { file, asked: JSON.stringify(asked), meshes: String(meshes) };
    const told = await project.send('camera', fields);
    said = told?.flatMap((one) => one.said) ?? [];
  }
</script>

{#if sighting.given}
  <p class="mb-1.5 text-quiet">
    <b class="text-ink">{sighting.given.name}</b> is the sighting, with its own place and lens. What is
    traced waits beneath it.
  </p>
  <Press class="mb-2 w-full" disabled={locked} onclick={() => project.keep({ verb: 'LetCameraGo' })}
    >Let it go</Press
  >
{:else}
  <p class="mb-1.5 text-quiet">
    A GLB, USD or JSON with a camera. Where it moves, its motion becomes the shot.
  </p>
{/if}
<div class="grid grid-cols-2 gap-1.5" role="radiogroup" aria-label="Where it stands">
  <Press role="radio" aria-checked={place === 'own'} onclick={() => (place = 'own')}
    >Where it says</Press
  >
  <Press
    role="radio"
    aria-checked={place === 'sighted'}
    disabled={!settled}
    onclick={() => (place = 'sighted')}>As sighted here</Press
  >
  {#if plays}
    <Press
      class="col-span-2"
      role="radio"
      aria-checked={place === 'picked'}
      onclick={() => (place = 'picked')}>By places on its ground</Press
    >
  {/if}
</div>
<p class="mt-1 text-[12px] text-quiet">{HOW[place]}</p>
{#if place === 'picked'}
  <Press class="my-1 w-full" onclick={() => (picking = true)}
    >{picked ? `${picked} places on the ground…` : 'Pick places on the ground…'}</Press
  >
  <GroundPicks {plate} bind:open={picking} bind:pictures bind:marks />
{/if}
<NumberField
  label="The still is its frame"
  places={0}
  step={1}
  min={0}
  value={frame}
  onkeep={(v) => (frame = Math.round(v))}
/>
{#if place === 'picked'}
  <NumberField
    label="From place 1 to 2"
    unit="m"
    min={0.001}
    length
    value={apart_m}
    onkeep={(v) => (apart_m = v)}
  />
{/if}
{#if place === 'own' || (place === 'picked' && apart_m === null)}
  <NumberField
    label={place === 'own' ? 'Lift it to an eye height of' : 'or its eye height there'}
    unit="m"
    min={0.01}
    value={lifted}
    onkeep={(v) => (lifted = v)}
  />
{/if}
{#if place !== 'picked' || (apart_m === null && lifted === null)}
  <NumberField
    label={place === 'picked' ? 'or one of its metres is' : 'One of its metres is'}
    unit="m"
    places={3}
    min={0.000001}
    value={size}
    onkeep={(v) => (size = v)}
  />
{/if}
<label class="mt-1 flex items-center justify-between gap-2 text-quiet"
  >Which of several <Words
    class="w-36"
    aria-label="Camera’s name"
    placeholder="the one that moves"
    value={which}
    onkeep={(name) => (which = name)}
  /></label
>
<label class="mt-1.5 flex items-center gap-2"
  ><Checkbox bind:checked={meshes} /> its meshes become proxies</label
>
<Press
  class="mt-2 w-full"
  disabled={(locked && place !== 'sighted') || (place === 'picked' && picked < FEWEST)}
  onclick={() => picker?.click()}>Take a camera from a file…</Press
>
<FileField
  label="Camera’s file"
  accept=".glb,.usd,.usda,.usdc,.usdz,.json"
  bind:element={picker}
  take={(file) => void bring(file)}
/>
{#each said as words (words)}<p class="mt-1 text-[12px] text-ink">{words}</p>{/each}
