<script lang="ts">
  /** The ways in that need no still: a frame with nothing in it yet, or a camera's file. */
  import { Checkbox, Input } from 'flowbite-svelte';
  import { api, OURS } from '../../lib/api/client';
  import FileField from '../../lib/FileField.svelte';
  import Press from '../../lib/Press.svelte';
  import Sheet from '../../lib/Sheet.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import { route } from '../../project/route.svelte';

  const SIZES = [
    ['HD', 1920, 1080],
    ['UHD', 3840, 2160],
    ['Square', 2048, 2048],
    ['Upright', 1080, 1920],
  ] as const;
  const begun = () => ({ width: 1920, height: 1080, eye_height_m: 1.6, tilt_deg: 0, focal_mm: 35 });
  let asked = $state(begun());
  let name = $state('');
  let open = $state(false);
  let file = $state.raw<File | null>(null);
  let picker = $state<HTMLInputElement>();
  let meshes = $state(true);
  let lifted = $state<number | null>(null);
  let opening = $state(false);
  let working = $state(false);
  let trouble = $state('');

  function start(what: 'nothing' | File) {
    trouble = '';
    name = what === 'nothing' ? '' : what.name.replace(/\.[^.]*$/, '');
    if (what === 'nothing') open = true;
    else [file, lifted, opening] = [what, null, true];
  }
  async function onNothing() {
    working = true;
    const { data, error } = await api
      .POST('/api/begin', { body: { ...asked, name: name.trim() || 'New project' } })
      .catch(() => ({ data: undefined, error: undefined }));
    working = false;
    if (data) route.go(data.id, 'sight');
    else trouble = (error as { message?: string } | undefined)?.message ?? UNREACHED;
  }
  const UNREACHED = 'The server cannot be reached; nothing was begun. Try again.';
  async function onCamera() {
    if (!file) return;
    working = true;
    const body = new FormData();
    body.append('file', file);
    body.append('name', name.trim());
    body.append('width', String(asked.width));
    body.append('meshes', String(meshes));
    body.append('asked', JSON.stringify({ eye_height_m: lifted }));
    try {
      const response = await fetch('/api/begin/camera', { method: 'POST', headers: OURS, body });
      const answer = await response.json();
      if (response.ok) {
        route.go(answer.id, 'sight');
        if (answer.said.length) setTimeout(() => project.say(answer.said.join(' ')), 800);
      } else trouble = answer.message;
    } catch {
      trouble = UNREACHED;
    }
    working = false;
  }
</script>

<p class="mt-4 flex items-center justify-center gap-2 text-quiet">
  No picture yet?
  <Press onclick={() => start('nothing')}>Begin on nothing…</Press>
  <Press onclick={() => picker?.click()}>Begin with a camera…</Press>
</p>
<FileField
  label="Camera’s file"
  accept=".glb,.usd,.usda,.usdc,.usdz,.json"
  bind:element={picker}
  take={start}
/>

{#snippet called()}
  <label class="mb-1 flex items-center justify-between gap-3">
    Name <Input class="w-56" aria-label="Name" bind:value={name} placeholder="New project" />
  </label>
{/snippet}
{#snippet foot(does: () => void)}
  {#if trouble}<p class="mt-2 text-warning" role="alert">{trouble}</p>{/if}
  <Press main class="mt-3 w-full" disabled={working} onclick={does}
    >{working ? 'Beginning…' : 'Begin'}</Press
  >
{/snippet}

<div class="text-left">
  <Sheet title="Begin on nothing" bind:open>
    <p class="mb-3 text-quiet">
      A frame, and a camera over bare ground. Block, move and split before there is a picture; it
      comes in later, into its place.
    </p>
    {@render called()}
    <div class="my-2 grid grid-cols-4 gap-1.5" role="group" aria-label="Frame">
      {#each SIZES as [label, width, height] (label)}
        <Press
          aria-pressed={asked.width === width && asked.height === height}
          onclick={() => Object.assign(asked, { width, height })}>{label}</Press
        >
      {/each}
    </div>
    <NumberField
      label="Width"
      unit="px"
      places={0}
      step={10}
      min={16}
      value={asked.width}
      onkeep={(v) => (asked.width = Math.round(v))}
    />
    <NumberField
      label="Height"
      unit="px"
      places={0}
      step={10}
      min={16}
      value={asked.height}
      onkeep={(v) => (asked.height = Math.round(v))}
    />
    <NumberField
      label="Eye height"
      unit="m"
      value={asked.eye_height_m}
      min={0.01}
      onkeep={(v) => (asked.eye_height_m = v)}
    />
    <NumberField
      label="Tilt"
      unit="°"
      places={1}
      step={0.5}
      value={asked.tilt_deg}
      onkeep={(v) => (asked.tilt_deg = v)}
    />
    <NumberField
      label="Focal, 35 mm terms"
      unit="mm"
      places={1}
      step={1}
      min={4}
      value={asked.focal_mm}
      onkeep={(v) => (asked.focal_mm = v)}
    />
    {@render foot(onNothing)}
  </Sheet>

  <Sheet title="Begin with a camera" bind:open={opening}>
    <p class="mb-3 text-quiet">
      The camera in {file?.name ?? 'the file'} is the sighting, and where it moves, the shot. Its picture
      comes in later, into its place.
    </p>
    {@render called()}
    <NumberField
      label="Width of the frame"
      unit="px"
      places={0}
      step={10}
      min={16}
      value={asked.width}
      onkeep={(v) => (asked.width = Math.round(v))}
    />
    <NumberField
      label="Lift it to an eye height of"
      unit="m"
      value={lifted}
      min={0.01}
      onkeep={(v) => (lifted = v)}
    />
    <label class="mt-1.5 flex items-center gap-2"
      ><Checkbox bind:checked={meshes} /> its meshes become proxies</label
    >
    {@render foot(onCamera)}
  </Sheet>
</div>
