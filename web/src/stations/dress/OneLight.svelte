<script lang="ts">
  /** What can be set on a light. */
  import type { Change, Light } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import Words from '../../lib/Words.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import { selection } from '../../project/selection.svelte';
  import { tool } from '../../project/tool.svelte';
  import Amounts from './Amounts.svelte';
  import Colour from './Colour.svelte';
  import Keyed from './Keyed.svelte';
  import FileField from '../../lib/FileField.svelte';
  import { AIMING, PANORAMAS, surroundWith } from './lights.svelte';

  let { light }: { light: Light } = $props();

  const change = (to: Record<string, unknown>) =>
    ({ verb: 'AlterLight', light: light.id, to }) as Change;
  const set = (to: Record<string, unknown>) => project.keep(change(to));
  const DOES = [
    ['adds', 'Adds', 'It makes what the picture shows brighter'],
    ['replaces', 'Replaces', 'The picture is taken for how things look in plain white light'],
    ['shades', 'Shadow only', 'Only the shadow of it is seen'],
  ] as const;
  const spread = $derived(light.kind === 'sky' || light.kind === 'surroundings');
  const gone = $derived(
    light.kind === 'surroundings' &&
      light.on &&
      !project.dress?.lights.some((one) => one.id === light.id),
  );
  let chooser: HTMLInputElement | undefined = $state();
  const proxies = $derived(project.scene!.proxies);
  const blockers = $derived(proxies.filter((p) => light.blockers?.includes(p.id)));
  const selected = $derived(selection.all('proxy'));
  async function remove() {
    await project.keep({ verb: 'DeleteLight', light: light.id });
  }
</script>

<div class="mt-1.5 rounded-md border border-line p-2" role="group" aria-label={light.name}>
  <div class="flex items-center gap-1.5">
    <Words
      class="flex-1"
      aria-label="Light’s name"
      value={light.name}
      onkeep={(name) => name && void set({ name })}
    />
    <Press tight onclick={remove}>Delete</Press>
  </div>
  <div class="mt-1.5 grid grid-cols-3 gap-1" role="group" aria-label="What it does">
    {#each DOES as [does, words, title] (does)}
      <Press
        tight
        {title}
        disabled={spread && does === 'shades'}
        aria-pressed={(light.does ?? 'adds') === does}
        onclick={() => set({ does })}>{words}</Press
      >
    {/each}
  </div>
  <Colour
    label="Colour"
    value={light.colour ?? [1, 1, 1]}
    ontry={(colour) => project.try(change({ colour }))}
    onkeep={(colour) => void set({ colour })}
  />
  <Keyed
    part={light.id}
    of="strength"
    label="Strength"
    value={light.strength ?? 1}
    least={0}
    most={light.does === 'shades' ? 1 : 4}
    set={(strength) => change({ strength: Math.max(strength, 0) })}
  />
  {#if light.kind === 'sun' || light.kind === 'surroundings'}
    <Keyed
      part={light.id}
      of="turn_deg"
      label="Round"
      unit="°"
      places={1}
      step={5}
      value={light.turn_deg ?? 0}
      least={-180}
      most={180}
      set={(turn_deg) => change({ turn_deg })}
    />
  {/if}
  {#if light.kind === 'sun'}
    <Keyed
      part={light.id}
      of="height_deg"
      label="Height"
      unit="°"
      places={1}
      step={5}
      value={light.height_deg ?? 0}
      least={-10}
      most={90}
      set={(height_deg) => change({ height_deg })}
    />
    <Press
      tight
      class="mt-1 w-full"
      aria-pressed={tool.name === AIMING}
      title="Drag from the top of something to where its shadow is to end"
      onclick={() => tool.choose(AIMING, true)}>Aim it by a shadow</Press
    >
    {#if tool.name === AIMING}
      <p class="mt-1 text-[12px] text-lantern" role="status">
        Drag from the top of something to where its shadow ends.
      </p>
    {/if}
    <NumberField
      label="How wide it is"
      unit="°"
      places={2}
      step={0.5}
      min={0}
      value={light.size_deg ?? 0.53}
      onkeep={(size_deg) => set({ size_deg })}
    />
  {:else if light.kind === 'surroundings'}
    {#if gone}
      <p class="mt-1 text-[12px] text-lantern" role="status">
        Its file is not here any more. Bring it in again.
      </p>
    {/if}
    <div class="mt-1 flex items-center gap-1.5">
      <span class="min-w-0 flex-1 truncate text-quiet" title={light.picture_name}
        >{light.picture_name}</span
      >
      <Press tight title="Take another panorama" onclick={() => chooser?.click()}>Another…</Press>
    </div>
    <FileField
      label="Another panorama file"
      accept={PANORAMAS}
      bind:element={chooser}
      take={(file) => void surroundWith(file, light.id)}
    />
  {:else if light.kind === 'lamp'}
    {#each [['x', 'Across'], ['level_m', 'Up'], ['z', 'Towards the lens']] as const as [name, label] (name)}
      <NumberField
        {label}
        unit="m"
        length
        value={light[name] ?? 0}
        onkeep={(v) => set({ [name]: v })}
        ontry={(v) => project.try(change({ [name]: v }))}
      />
    {/each}
    <NumberField
      label="At its strength"
      unit="m off"
      length
      min={0.001}
      value={light.reach_m ?? 1}
      onkeep={(reach_m) => set({ reach_m })}
      ontry={(reach_m) => project.try(change({ reach_m }))}
    />
    <NumberField
      label="How wide it is"
      unit="m"
      length
      min={0}
      value={2 * (light.radius_m ?? 0)}
      onkeep={(wide) => set({ radius_m: wide / 2 })}
    />
  {/if}
  <p class="mt-2 mb-1 text-[12px] text-quiet">What takes it</p>
  <Amounts amounts={light.amounts ?? []} set={(amounts) => void set({ amounts })} />
  {#if !spread}
    <p class="mt-2 mb-1 text-[12px] text-quiet">
      Its shadow is cast by {light.casters
        ? proxies
            .filter((p) => light.casters!.includes(p.id))
            .map((p) => p.name)
            .join(', ') || 'nothing'
        : 'all that stands'}
    </p>
    <div class="grid grid-cols-3 gap-1">
      <Press tight aria-pressed={!light.casters} onclick={() => set({ casters: null })}>All</Press>
      <Press
        tight
        disabled={!selected.length}
        title={selected.length ? null : 'Select proxies in the walk view first'}
        onclick={() => set({ casters: selected })}>The selected</Press
      >
      <Press tight aria-pressed={light.casters?.length === 0} onclick={() => set({ casters: [] })}
        >None</Press
      >
    </div>
    {#each blockers as { id, name } (id)}
      <div class="mt-1 flex items-center gap-1.5">
        <span class="min-w-0 flex-1 truncate"
          >{name} <small class="text-quiet">blocks it</small></span
        >
        <Press
          tight
          aria-label="{name} does not block it"
          onclick={() => set({ blockers: light.blockers!.filter((other) => other !== id) })}
          >Let through</Press
        >
      </div>
    {/each}
    <Press
      tight
      class="mt-1 w-full"
      disabled={!selected.length}
      title={selected.length
        ? 'They are hidden, and only take this light away'
        : 'Select proxies in the walk view first'}
      onclick={() => project.keep({ verb: 'Block', light: light.id, proxies: selected } as Change)}
      >Block it with the selected</Press
    >
  {/if}
</div>
