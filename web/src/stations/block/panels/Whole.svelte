<script lang="ts">
  /** One proxy: its numbers, and what is done with it as a whole. */
  import { Select } from 'flowbite-svelte';
  import Heading from '../../../lib/Heading.svelte';
  import { EDGES } from '../../../project/edges';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import Section from '../../../lib/Section.svelte';
  import Swatch from '../../../project/Swatch.svelte';
  import { tool } from '../../../project/tool.svelte';
  import { isBearing, nameOf, waysOf } from '../../../project/headings';
  import type { Change, Proxy } from '../../../lib/api/client';
  import { hinge, SWINGING } from '../hinge.svelte';
  import { KINDS } from '../kinds';
  import { duplicate, remove } from '../selected';
  import Press from '../../../lib/Press.svelte';
  import Words from '../../../lib/Words.svelte';

  let { chosen }: { chosen: Proxy } = $props();

  const fields = $derived(KINDS.get(chosen.kind!)?.fields ?? []);
  const value = (k: string) => (chosen as unknown as Record<string, number>)[k];
  const altered = (to: Record<string, unknown>): Change => ({
    verb: 'AlterProxy',
    proxy: chosen.id,
    to: to as never,
  });
  const sides = $derived(KINDS.get(chosen.kind!)?.sides);
  const stands = $derived('turn_deg' in chosen);
  /** How far its foot, or what hangs, is from the lens. */
  const distance = $derived.by(() => {
    const camera = project.reading?.camera;
    if (!camera) return null;
    if ('distance_m' in chosen) return chosen.distance_m;
    const [x, y, z] = camera.position;
    return Math.hypot((chosen.x ?? 0) - x, (chosen.level_m ?? 0) - y, (chosen.z ?? 0) - z);
  });
  // what is level, and so can be stood along
  const level = $derived(waysOf(project.scene?.sighting.traces).filter((way) => way !== 'up'));
  let about = $state<'foot' | 'left' | 'right'>('foot');
  let along = $state('across');
  const row = $derived('row' in chosen ? chosen.row : null);
  const mirror = $derived('mirror' in chosen ? chosen.mirror : null);
  const keep = (change: Change) => void project.keep(change);
</script>

<Heading>
  {chosen.name} <small>{chosen.kind}{chosen.locked ? ' · locked' : ''}</small>
</Heading>
<div class="flex items-center justify-between gap-2 py-0.5">
  <label for="proxy-name" class="text-quiet">Name</label>
  <Words
    class="w-[152px]!"
    id="proxy-name"
    value={chosen.name}
    onkeep={(name) => name && keep(altered({ name }))}
  />
</div>
{#each fields as { name, label, unit, min, step, places } (chosen.id + name)}
  <NumberField
    {label}
    {unit}
    {min}
    step={step ?? 0.1}
    places={places ?? 2}
    length={unit === 'm'}
    value={value(name)}
    ontry={(v) => project.try(altered({ [name]: v }))}
    onkeep={(v) => keep(altered({ [name]: v }))}
  />
{/each}
<NumberField
  label="Distance, held in the picture"
  unit="m"
  min={0.01}
  step={0.5}
  length
  value={distance}
  ontry={(v) => project.try({ verb: 'Reach', proxy: chosen.id, to_m: v, catch: false })}
  onkeep={(v) => keep({ verb: 'Reach', proxy: chosen.id, to_m: v, catch: false })}
/>
{#if sides}
  <div class="flex flex-wrap items-center gap-1 py-1" role="group" aria-label="Its sides">
    <span class="mr-auto text-quiet">Sides</span>
    {#each sides as side (side)}
      {@const there = (chosen as { sides?: string[] }).sides ?? []}
      <Press
        tight
        aria-pressed={there.includes(side)}
        disabled={there.length === 1 && there[0] === side}
        onclick={() =>
          keep(
            altered({
              sides: there.includes(side) ? there.filter((s) => s !== side) : [...there, side],
            }),
          )}>{side}</Press
      >
    {/each}
  </div>
{/if}
{#if stands}
  <Section title="Turn and place">
    {#each ['lean_deg', 'roll_deg'] as const as name (name)}
      {#if !fields.some((field) => field.name === name)}
        <NumberField
          label={name === 'lean_deg' ? 'Lean, its top away' : 'Roll, its top to the left'}
          unit="°"
          places={1}
          step={1}
          value={value(name)}
          ontry={(v) => project.try(altered({ [name]: v }))}
          onkeep={(v) => keep(altered({ [name]: v }))}
        />
      {/if}
    {/each}
    <div class="flex items-center gap-1.5 py-0.5">
      <Select
        placeholder=""
        class="w-[150px]"
        aria-label="The edge it turns about"
        bind:value={hinge.side}
      >
        {#each EDGES as [name, words] (name)}<option value={name}>{words}</option>{/each}
      </Select>
      {#each [-15, 15] as by (by)}
        <Press
          tight
          title="Turn it about that edge by 15°"
          onclick={() =>
            keep({ verb: 'TurnOnEdge', proxy: chosen.id, side: hinge.side, by_deg: by } as Change)}
          >{by < 0 ? '−15°' : '+15°'}</Press
        >
      {/each}
      <Press
        tight
        aria-pressed={tool.name === SWINGING}
        title="Drag it about that edge in the lens view; with Shift by 15°"
        does="turn it on its edge by hand"
        onclick={() => tool.choose(SWINGING, true)}>By hand</Press
      >
    </div>
    <div class="flex flex-wrap items-center gap-1 py-1" role="group" aria-label="Turn along">
      <span class="mr-auto text-quiet">Along</span>
      {#each level as way (way)}
        <Press
          tight
          class="flex items-center gap-1.5"
          title="Along {nameOf(way)}"
          onclick={() => keep({ verb: 'TurnAlong', proxy: chosen.id, way })}
          ><Swatch heading={way} wide={16} />{isBearing(way) ? way : nameOf(way)}</Press
        >
      {/each}
    </div>
    <div class="flex items-center gap-1 py-1" role="group" aria-label="Turn about">
      <span class="mr-auto text-quiet">About its</span>
      {#each ['foot', 'left', 'right'] as const as end (end)}
        <Press tight aria-pressed={about === end} onclick={() => (about = end)}
          >{end === 'foot' ? 'foot' : `${end} hinge`}</Press
        >
      {/each}
    </div>
    <NumberField
      label="Turn by"
      unit="°"
      step={5}
      places={1}
      value={0}
      ontry={(v) => project.try({ verb: 'Turn', proxy: chosen.id, by_deg: v, about })}
      onkeep={(v) => keep({ verb: 'Turn', proxy: chosen.id, by_deg: v, about })}
    />
    <Press tight class="mt-1 w-full" onclick={() => keep({ verb: 'SettleOnto', proxy: chosen.id })}
      >Set it down on what is below</Press
    >
  </Section>
  <Section title="Twin and row" open={!!(row || mirror)}>
    <div class="flex items-center gap-1 py-1" role="group" aria-label="Repeat along">
      <span class="mr-auto text-quiet">Along</span>
      {#each level as way (way)}
        <Press
          tight
          class="flex items-center gap-1.5"
          aria-pressed={along === way}
          onclick={() => (along = way)}
          ><Swatch heading={way} wide={16} />{isBearing(way) ? way : nameOf(way)}</Press
        >
      {/each}
    </div>
    <div class="grid grid-cols-2 gap-1">
      <Press
        tight
        aria-pressed={!!mirror}
        onclick={() =>
          keep(
            mirror
              ? altered({ mirror: null })
              : { verb: 'MirrorAcross', proxy: chosen.id, along: along as never },
          )}>Mirrored twin</Press
      >
      <Press
        tight
        aria-pressed={!!row}
        onclick={() =>
          keep(
            row
              ? altered({ row: null })
              : {
                  verb: 'RowAlong',
                  proxy: chosen.id,
                  along: along as never,
                  count: 4,
                  step_m: (distance ?? 4) / 4,
                },
          )}>Row</Press
      >
      <Press tight aria-pressed={tool.name === 'twin'} onclick={() => tool.choose('twin', true)}
        >Twin through a pick</Press
      >
      <Press tight aria-pressed={tool.name === 'row'} onclick={() => tool.choose('row', true)}
        >Row to a pick</Press
      >
    </div>
    {#if row}
      <NumberField
        label="How many"
        min={2}
        step={1}
        places={0}
        value={row.count}
        ontry={(v) => project.try(altered({ row: { ...row, count: Math.round(v) } }))}
        onkeep={(v) => keep(altered({ row: { ...row, count: Math.round(v) } }))}
      />
      <NumberField
        label="A step apart"
        unit="m"
        length
        value={row.step_m}
        ontry={(v) => project.try(altered({ row: { ...row, step_m: v } }))}
        onkeep={(v) => keep(altered({ row: { ...row, step_m: v } }))}
      />
    {/if}
    {#if row || mirror}
      <Press tight class="mt-1 w-full" onclick={() => keep({ verb: 'BreakOff', proxy: chosen.id })}
        >Break off</Press
      >
    {/if}
  </Section>
  <Section title="Shape it">
    <div class="grid grid-cols-2 gap-1">
      <Press tight aria-pressed={tool.name === 'cut'} onclick={() => tool.choose('cut', true)}
        >Cut all round</Press
      >
      <Press
        tight
        aria-pressed={tool.name === 'cut away'}
        onclick={() => tool.choose('cut away', true)}>Cut a side away</Press
      >
      {#if chosen.kind === 'drum'}
        <Press tight aria-pressed={tool.name === 'rim'} onclick={() => tool.choose('rim', true)}
          >Trace its side</Press
        >
      {/if}
      <Press
        tight
        title="Put a face into a flat opening"
        onclick={() => keep({ verb: 'CloseOff', proxy: chosen.id })}>Close it</Press
      >
    </div>
    <NumberField
      label="Give it a thickness"
      unit="m"
      min={0}
      length
      value={null}
      ontry={(v) => v > 0 && project.try({ verb: 'Thicken', proxy: chosen.id, by_m: v })}
      onkeep={(v) => keep({ verb: 'Thicken', proxy: chosen.id, by_m: v })}
    />
    <NumberField
      label="Run its edges over"
      unit="px"
      min={0}
      step={1}
      places={0}
      value={null}
      ontry={(v) => v > 0 && project.try({ verb: 'RunOver', proxy: chosen.id, px: v })}
      onkeep={(v) => keep({ verb: 'RunOver', proxy: chosen.id, px: v })}
    />
  </Section>
{/if}
<div class="mt-2 grid grid-cols-2 gap-1">
  <Press onclick={duplicate}>Duplicate</Press>
  <Press onclick={remove}>Delete</Press>
</div>
