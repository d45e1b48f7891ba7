<script lang="ts">
  /** Models, pictures, clips and words that stand in the place, and what is set on the chosen one. */
  import { Fileupload, Checkbox } from 'flowbite-svelte';
  import Heading from '../../lib/Heading.svelte';
  import Press from '../../lib/Press.svelte';
  import { project } from '../../project/project.svelte';
  import { tool } from '../../project/tool.svelte';
  import {
    altered,
    bring,
    chosenGuest,
    chosenOne,
    STANDING,
    waiting,
    write,
  } from './guests.svelte';
  import OneGuest from './OneGuest.svelte';

  const guests = $derived(project.scene!.guests);
  const guest = $derived(chosenGuest());
  const standing = $derived(tool.name === STANDING);
  const IS = { model: 'model', picture: 'picture', words: 'words' };
  const kindOf = (one: (typeof guests)[number]) =>
    one.kind === 'picture' && one.plate.playing ? 'clip' : IS[one.kind];
  let chooser: HTMLInputElement | undefined = $state();
  let over = $state(false);
  const carries = (e: DragEvent) => !!e.dataTransfer?.types.includes('Files');
</script>

<svelte:window
  ondragover={(e) => {
    if (!carries(e)) return;
    e.preventDefault();
    over = true;
  }}
  ondragleave={(e) => {
    if (!e.relatedTarget) over = false;
  }}
  ondrop={(e) => {
    if (!carries(e)) return;
    e.preventDefault();
    over = false;
    bring(e.dataTransfer?.files);
  }}
/>

<section aria-label="Guests">
  <Heading>Guests <small>{guests.length ? `${guests.length} stand here` : 'none'}</small></Heading>
  <div
    class={['grid grid-cols-2 gap-1 rounded-md', over && 'ring-2 ring-lantern']}
    role="group"
    aria-label="Stand a guest"
  >
    <Press
      tight
      title="A model (GLB, OBJ, USD, or an OBJ with its pictures in a ZIP), a picture or a clip with alpha. Numbered pictures are one clip"
      onclick={() => chooser?.click()}>Bring a file…</Press
    >
    <Press
      tight
      aria-pressed={standing && waiting.words}
      does="write words into the place"
      onclick={write}>Words</Press
    >
  </div>
  <Fileupload
    bind:elementRef={chooser}
    class="hidden"
    multiple
    aria-label="Guest’s files"
    accept=".glb,.obj,.zip,.usd,.usda,.usdc,.usdz,.png,.jpg,.jpeg,.tif,.tiff,.webp,.exr,.mov,.mp4,.webm,.mkv"
    onchange={(e) => {
      const field = e.currentTarget as HTMLInputElement;
      bring(field.files);
      field.value = '';
    }}
  />
  {#if standing}
    <p class="mt-1 text-[12px] text-lantern" role="status">
      Press where {waiting.words ? 'they stand' : 'it stands'}: on the ground, or on any proxy.
    </p>
    <label class="mt-1 flex items-center gap-2 text-[12px]"
      ><Checkbox bind:checked={waiting.lies} /> lying flat on it</label
    >
  {:else if waiting.coming}
    <p class="mt-1 text-[12px] text-quiet" role="status">It is being read …</p>
  {/if}
  {#each waiting.said as words (words)}
    <p class="mt-1 text-[12px] text-warning" role="status">{words}</p>
  {/each}
  <ul class="mt-1.5">
    {#each guests as one (one.id)}
      <li class="flex items-center gap-1.5 py-0.5">
        <Press
          kind="bare"
          class={['min-w-0 flex-1 truncate text-left', chosenOne.id === one.id && 'text-lantern']}
          aria-pressed={chosenOne.id === one.id}
          onclick={() => chosenOne.toggle(one.id)}
          >{one.name}<small class="ml-2 text-[12px] text-quiet">{kindOf(one)}</small></Press
        >
        <Press
          tight
          aria-pressed={!one.hidden}
          aria-label="{one.name} is shown"
          onclick={() => project.keep(altered(one, { hidden: !one.hidden }))}
          >{one.hidden ? 'Hidden' : 'Shown'}</Press
        >
      </li>
    {/each}
  </ul>
  {#if guest}{#key guest.id}<OneGuest {guest} />{/key}{/if}
</section>
