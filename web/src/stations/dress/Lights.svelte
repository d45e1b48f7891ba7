<script lang="ts">
  /** The lights, and what is set on the one that is chosen. */
  import { hexOf } from '../../lib/colour';
  import Heading from '../../lib/Heading.svelte';
  import Press from '../../lib/Press.svelte';
  import { project } from '../../project/project.svelte';
  import { tool } from '../../project/tool.svelte';
  import FileField from '../../lib/FileField.svelte';
  import { add, chosen, chosenLight, PANORAMAS, PICKING, surroundWith } from './lights.svelte';
  import OneLight from './OneLight.svelte';

  const lights = $derived(project.scene!.lights);
  const light = $derived(chosenLight());
  let chooser: HTMLInputElement | undefined = $state();
  const SAYS = { adds: 'adds', replaces: 'replaces', shades: 'only its shadow' };
</script>

<section aria-label="Lights">
  <Heading
    >Lights <small
      >{lights.length ? `${lights.filter((l) => l.on).length} on` : 'as in the picture'}</small
    ></Heading
  >
  <div class="grid grid-cols-4 gap-1" role="group" aria-label="Add a light">
    <Press tight title="Parallel light from far away" onclick={() => add('sun')}>Sun</Press>
    <Press
      tight
      aria-pressed={tool.name === PICKING}
      title="Pick where it hangs: it takes the picture’s colour there"
      does="pick a lamp out of the picture"
      onclick={() => tool.choose(PICKING, true)}>Lamp</Press
    >
    <Press tight title="Soft light from all of the sky" onclick={() => add('sky')}>Sky</Press>
    <Press
      tight
      title="The light of a panorama: a picture of all that is around, twice as wide as high"
      onclick={() => chooser?.click()}>Around…</Press
    >
  </div>
  <FileField
    label="Panorama file"
    accept={PANORAMAS}
    bind:element={chooser}
    take={(file) => void surroundWith(file)}
  />
  {#if tool.name === PICKING}
    <p class="mt-1 text-[12px] text-lantern" role="status">Press where the lamp hangs.</p>
  {/if}
  <ul class="mt-1.5">
    {#each lights as one (one.id)}
      <li class="flex items-center gap-1.5 py-0.5">
        <span
          class="h-3 w-3 shrink-0 rounded-full border border-line"
          style:background={hexOf(one.colour ?? [1, 1, 1])}
        ></span>
        <Press
          kind="bare"
          class={['flex-1 text-left', chosen.id === one.id && 'text-lantern']}
          aria-pressed={chosen.id === one.id}
          onclick={() => chosen.toggle(one.id)}
          >{one.name}<small class="ml-2 text-[12px] text-quiet">{SAYS[one.does ?? 'adds']}</small
          ></Press
        >
        <Press
          tight
          aria-pressed={one.on}
          aria-label="{one.name} is on"
          onclick={() => project.keep({ verb: 'AlterLight', light: one.id, to: { on: !one.on } })}
          >{one.on ? 'On' : 'Out'}</Press
        >
      </li>
    {/each}
  </ul>
  {#if light}{#key light.id}<OneLight {light} />{/key}{/if}
</section>
