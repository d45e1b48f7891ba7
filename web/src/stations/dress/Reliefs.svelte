<script lang="ts" module>
  const within = (v: number, most: number) => Math.min(Math.max(v, -most), most);
</script>

<script lang="ts">
  /** By what the pictures that lanterns throw answer to light as if they had heights. */
  import type { Change, Relief } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import Section from '../../lib/Section.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import FileField from '../../lib/FileField.svelte';

  const lanterns = $derived(project.scene!.lanterns);
  const some = $derived(lanterns.filter((one) => one.relief));
  const lit = $derived(project.scene!.lights.some((one) => one.on));
  let chosen = $state<string | null>(null);
  const lantern = $derived(
    lanterns.find((one) => one.id === chosen) ?? some[0] ?? lanterns[0] ?? null,
  );
  const relief = $derived(lantern?.relief ?? null);
  let bring = $state<'heights' | 'normals'>('heights');
  let chooser: HTMLInputElement | undefined = $state();

  const put = (to: Relief | null) =>
    void project.keep({ verb: 'SetRelief', lantern: lantern.id, relief: to } as Change);
  const change = (to: Partial<Relief>) => () =>
    relief && ({ verb: 'SetRelief', lantern: lantern.id, relief: { ...relief, ...to } } as Change);
  const choose = (by: 'heights' | 'normals') => {
    bring = by;
    chooser?.click();
  };
  const PICTURES = '.jpg,.jpeg,.png,.tif,.tiff,.webp';
</script>

<Section
  title="Relief"
  note={some.length ? `${some.length} of ${lanterns.length}` : 'flat'}
  open={some.length > 0}
>
  {#if lanterns.length > 1}
    <div class="mb-1 flex flex-wrap gap-1" role="group" aria-label="Relief of which lantern">
      {#each lanterns as one (one.id)}
        <Press tight aria-pressed={one.id === lantern.id} onclick={() => (chosen = one.id)}
          >{one.name}{one.relief ? ' ·' : ''}</Press
        >
      {/each}
    </div>
  {/if}
  <div class="grid grid-cols-2 gap-1" role="group" aria-label="Where relief comes from">
    <Press tight aria-pressed={!relief} onclick={() => relief && put(null)}>Flat</Press>
    <Press
      tight
      aria-pressed={relief?.by === 'picture'}
      title="Its own bright and dark: what is bright stands out"
      onclick={() =>
        put({ ...(relief ?? {}), by: 'picture', picture: null, picture_name: null } as Relief)}
      >Bright and dark</Press
    >
    <Press
      tight
      aria-pressed={relief?.by === 'heights'}
      title="A grey picture of heights, as large as the lantern’s: white is high"
      onclick={() => choose('heights')}>Heights…</Press
    >
    <Press
      tight
      aria-pressed={relief?.by === 'normals'}
      title="A picture of normals: red to the right, green up, blue towards the lantern"
      onclick={() => choose('normals')}>Normals…</Press
    >
  </div>
  <FileField
    label="Relief file"
    accept={PICTURES}
    bind:element={chooser}
    take={(file) => void project.send('relief', { file, lantern: lantern.id, by: bring })}
  />
  {#if relief}
    {#if relief.picture_name}
      <p class="mt-1 truncate text-[12px] text-quiet">{relief.picture_name}</p>
    {/if}
    <NumberField
      label="Depth"
      unit="%"
      places={0}
      step={10}
      value={100 * (relief.depth ?? 1)}
      ontry={(v) => project.try(change({ depth: within(v / 100, 10) }))}
      onkeep={(v) => void project.keep(change({ depth: within(v / 100, 10) }))}
    />
    <NumberField
      label="Softness"
      unit="‰"
      places={1}
      step={0.5}
      min={0}
      value={1000 * (relief.soft ?? 0)}
      onkeep={(v) => void project.keep(change({ soft: Math.min(Math.max(v / 1000, 0), 0.1) }))}
    />
    {#if !lit}
      <p class="mt-1 text-[12px] text-quiet">It shows where light falls: put one on.</p>
    {/if}
  {/if}
</Section>
