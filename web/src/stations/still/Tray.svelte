<script lang="ts">
  import Foot from '../../lib/Foot.svelte';
  import Advice from '../../lib/Advice.svelte';
  import Heading from '../../lib/Heading.svelte';
  import { project } from '../../project/project.svelte';
  import { route } from '../../project/route.svelte';
  import { aspect } from '../../lib/words';
  import { tip } from '../../lib/tip';
  import Press from '../../lib/Press.svelte';
  import Replace from './Replace.svelte';

  const plate = $derived(project.scene!.plate);
  const megapixels = $derived(((plate.width * plate.height) / 1e6).toFixed(1));
  const small = $derived(Math.max(plate.width, plate.height) < 1600);
  const stood = $derived((project.scene!.proxies ?? []).some((p) => !p.hidden));
  const plays = $derived(plate.playing);
  const given = $derived(project.scene!.sighting?.given);
  const isIn = $derived(plays ? 'The footage is in.' : 'The still is in.');
  const facts = $derived([
    ...(plate.awaited
      ? []
      : [
          ['File', plate.name],
          ['Format', `${plate.format}, ${plate.bits} bit`],
          ...(plays ? [['Pictures', `${plays.count} at ${+plays.rate.toFixed(3)} a second`]] : []),
        ]),
    ['Size', `${plate.width} × ${plate.height}`],
    ['Pixels', `${megapixels} MP`],
    ['Aspect', aspect(plate.width, plate.height)],
    ...(plate.awaited ? [] : [['Colours', plate.profile ?? 'sRGB']]),
  ]);
  const lens = $derived([
    ['Focal length', plate.lens?.focal_mm ? `${plate.lens.focal_mm} mm` : 'not said'],
    ['In 35 mm terms', plate.lens?.focal_35mm ? `${plate.lens.focal_35mm} mm` : 'not said'],
    ['Taken with', plate.lens?.taken_with ?? 'not said'],
  ]);
  const traces = $derived(project.scene?.sighting?.traces?.length ?? 0);
  const hint = $derived(plate.lens?.focal_35mm ?? null);
  function take() {
    if (!hint) return;
    const value = (hint * Math.max(plate.width, plate.height)) / 36;
    void project.keep({ verb: 'SetFocal', focal: { value, sigma: value * 0.03 } });
  }
</script>

<Advice>
  {#if plate.awaited}
    <b>No picture yet.</b> Block the place over bare ground and move through it; draw it out, paint over
    it, and bring the picture in here.
  {:else if given}
    <b>{isIn}</b> The camera that took it is known: {given.name}. Check it in Sight, then block.
  {:else if traces}
    <b>{isIn}</b> {traces} traces lie on it.
  {:else if plays}
    <b>{isIn}</b> Next, its camera: bring it from a file in Sight, or trace a few straight edges there.
  {:else}
    <b>{isIn}</b> Next, find the camera that took it: trace a few straight edges in Sight.
  {/if}
</Advice>

{#if plate.awaited}
  <div class="mt-2.5 grid gap-2">
    <Replace {plate} main />
    {#if stood}
      <Press href="/api/projects/{project.state!.id}/drawings" download
        >The blocking, to paint over</Press
      >
      <p class="text-[12px] text-quiet">
        Grey, wire, grid, depth and proxies by colour, {plate.width}×{plate.height}: PNGs, and one
        file of layers.
      </p>
    {/if}
  </div>
{/if}

<Heading>{plate.awaited ? 'Frame' : 'Plate'}</Heading>
<dl>
  {#each facts as [k, v] (k)}
    <div class="flex justify-between gap-4 py-1">
      <dt class="text-quiet">{k}</dt>
      <dd class="num truncate" {...tip(v)}>{v}</dd>
    </div>
  {/each}
</dl>
{#if small && !plate.awaited}<p class="mt-2 text-[12px] text-warning">
    A small plate makes a soft shot. Is there a larger one?
  </p>{/if}
{#if plate.alpha}<p class="mt-2 text-[12px] text-quiet">
    Transparent parts are shown over black.
  </p>{/if}
{#if plate.profile && !plate.profile.includes('sRGB')}<p class="mt-2 text-[12px] text-quiet">
    Its own colours are shown, cast and delivered as sRGB; the file itself is kept as it came.
  </p>{/if}
{#if plate.bits > 8}<p class="mt-2 text-[12px] text-quiet">
    Views show it at 8 bit; it is cast and rendered at its own depth.
  </p>{/if}

{#if !plate.awaited}
  <div class="mt-2"><Replace {plate} /></div>
{/if}

{#if !plate.awaited}<Heading>Lens facts <small>from the file</small></Heading>
  <dl>
    {#each lens as [k, v] (k)}
      <div class="flex justify-between gap-4 py-1">
        <dt class="text-quiet">{k}</dt>
        <dd class="num truncate">{v}</dd>
      </div>
    {/each}
  </dl>
  {#if hint}
    <Press class="mt-2 w-full" onclick={take}>Use {hint} mm ± 3 % in Sight</Press>
  {:else}
    <p class="mt-2 text-[12px] text-quiet">The file does not say; the traced edges will.</p>
  {/if}
{/if}

<Heading>Shot</Heading>
<p class="text-quiet">
  The shot takes the plate's aspect, {aspect(plate.width, plate.height)}: nothing is squashed.
</p>
<Foot
  ><Press main class="w-full" onclick={() => route.go(route.project, 'sight')}>On to Sight</Press
  ></Foot
>
