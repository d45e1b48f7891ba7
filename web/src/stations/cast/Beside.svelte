<script lang="ts">
  /** Footage of the very view that the clean still shows, laid over the trick or under it. */
  import { Checkbox } from 'flowbite-svelte';
  import FileField from '../../lib/FileField.svelte';
  import Press from '../../lib/Press.svelte';
  import Section from '../../lib/Section.svelte';
  import { project } from '../../project/project.svelte';
  import { selection } from '../../project/selection.svelte';

  let fields = $state<{ footage?: HTMLInputElement; matte?: HTMLInputElement }>({});
  let footage = $state.raw<File[]>([]);
  let matte = $state.raw<File[]>([]);
  let over = $state(true);
  let overscan = $state(false);
  let said = $state.raw<string[]>([]);
  let coming = $state(false);

  const MOVIES = 'video/*,.zip,.png,.tif,.tiff,.exr,.jpg,.jpeg,.webp';
  const name = (files: File[]) =>
    files.length > 1 ? `${files[0].name} and ${files.length - 1} more` : (files[0]?.name ?? '');

  async function lay() {
    coming = true;
    const told = await project.send('footage', {
      files: footage,
      matte,
      over: String(over),
      overscan: String(overscan),
    });
    coming = false;
    if (!told) return;
    said = told.flatMap((one) => one.said);
    [footage, matte] = [[], []];
    const laid = project.scene!.lanterns.find((one) => one.name === told[0]?.lantern);
    if (laid) selection.choose('lantern', laid.id);
  }
</script>

<Section title="Footage of this view" note={footage.length ? name(footage) : ''}>
  <p class="mb-1.5 text-quiet">
    Shot from where the still was, with the people, smoke or rain that the still is clean of.
  </p>
  <div class="grid grid-cols-2 gap-1.5">
    <Press onclick={() => fields.footage?.click()}>Footage…</Press>
    <Press
      title="White is seen, black is not: a movie, numbered files, or one picture for all"
      onclick={() => fields.matte?.click()}>Its matte…</Press
    >
  </div>
  {#if footage.length || matte.length}
    <p class="mt-1 truncate text-[12px] text-quiet">
      {name(footage) || 'No footage yet'}{matte.length ? `, matte ${name(matte)}` : ''}
    </p>
  {/if}
  <div class="mt-1.5 grid grid-cols-2 gap-1" role="group" aria-label="Where it lies">
    <Press
      tight
      aria-pressed={over}
      title="Before all that is thrown; seen by its alpha or its matte"
      onclick={() => (over = true)}>Over the trick</Press
    >
    <Press
      tight
      aria-pressed={!over}
      title="Behind all that is thrown; seen where that is clear"
      onclick={() => (over = false)}>Under it</Press
    >
  </div>
  <label class="mt-1.5 flex items-center gap-2"
    ><Checkbox bind:checked={overscan} /> it is larger than the still, pixel for pixel</label
  >
  <Press class="mt-2 w-full" disabled={!footage.length || coming} onclick={lay}
    >{coming ? 'Taking it in …' : 'Lay it'}</Press
  >
  {#each said as words (words)}<p class="mt-1 text-[12px] text-warning">{words}</p>{/each}
  <FileField
    label="Footage of this view"
    accept={MOVIES}
    bind:element={fields.footage}
    takeAll={(files) => (footage = files)}
  />
  <FileField
    label="Matte of the footage"
    accept={MOVIES}
    bind:element={fields.matte}
    takeAll={(files) => (matte = files)}
  />
</Section>
