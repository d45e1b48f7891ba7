<script lang="ts">
  /** A camera that is known already: from a file, in its own place, or beside what is sighted. */
  import { Checkbox } from 'flowbite-svelte';
  import FileField from '../../../lib/FileField.svelte';
  import Press from '../../../lib/Press.svelte';
  import Words from '../../../lib/Words.svelte';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const locked = $derived(sighting.locked ?? false);
  const settled = $derived(!!project.reading?.settled && !sighting.given);
  let picker = $state<HTMLInputElement>();
  let place = $state<'own' | 'sighted'>('own');
  let frame = $state(project.scene?.passed?.reference ?? 0);
  let lifted = $state<number | null>(null);
  let size = $state(1);
  let meshes = $state(false);
  let which = $state('');
  let said = $state.raw<string[]>([]);

  async function bring(file: File) {
    said = [];
    const eye_height_m = place === 'own' ? lifted : null;
    const asked = { camera: which.trim() || null, place, frame, size, eye_height_m };
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
</div>
<p class="mt-1 text-[12px] text-quiet">
  {place === 'own'
    ? 'Its own numbers are the world’s.'
    : 'At the still’s frame it is the sighted camera; only its motion is taken.'}
</p>
<NumberField
  label="The still is its frame"
  places={0}
  step={1}
  min={0}
  value={frame}
  onkeep={(v) => (frame = Math.round(v))}
/>
{#if place === 'own'}
  <NumberField
    label="Lift it to an eye height of"
    unit="m"
    min={0.01}
    value={lifted}
    onkeep={(v) => (lifted = v)}
  />
{/if}
<NumberField
  label="One of its metres is"
  unit="m"
  places={3}
  min={0.000001}
  value={size}
  onkeep={(v) => (size = v)}
/>
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
  ><Checkbox bind:checked={meshes} disabled={place === 'sighted'} /> its meshes become proxies</label
>
<Press class="mt-2 w-full" disabled={locked && place === 'own'} onclick={() => picker?.click()}
  >Take a camera from a file…</Press
>
<FileField
  label="Camera’s file"
  accept=".glb,.usd,.usda,.usdc,.usdz,.json"
  bind:element={picker}
  take={(file) => void bring(file)}
/>
{#each said as words (words)}<p class="mt-1 text-[12px] text-warning">{words}</p>{/each}
