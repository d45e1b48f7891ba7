<script lang="ts">
  /** Haze between near and far. */
  import type { Change, Haze } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import Section from '../../lib/Section.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { dressAt } from '../../project/times';
  import Amounts from './Amounts.svelte';
  import Colour from './Colour.svelte';
  import Keyed from './Keyed.svelte';

  const haze = $derived(project.scene!.haze);
  const now = $derived(dressAt(project.dress, project.times, playhead.frame)?.haze);
  const change =
    (to: Partial<Haze>): (() => Change | null) =>
    () => {
      const old = project.scene?.haze;
      return old ? ({ verb: 'SetHaze', haze: { ...old, ...to } } as Change) : null;
    };
  const set = (to: Partial<Haze>) => void project.keep(change(to));
  const through = (density: number) => (density > 0 ? 1 / density : Infinity);
  const far = $derived(through(now?.density ?? haze?.density ?? 0));
</script>

<Section
  title="Haze"
  note={haze ? `a third comes through ${far.toFixed(far < 10 ? 1 : 0)} m of it` : 'clear'}
  open={!!haze}
>
  {#if !haze}
    <Press
      tight
      class="w-full"
      onclick={() => project.keep({ verb: 'SetHaze', haze: {} } as Change)}>Fill it with haze</Press
    >
  {:else}
    <Colour
      label="Colour"
      value={haze.colour ?? [1, 1, 1]}
      ontry={(colour) => project.try(change({ colour }))}
      onkeep={(colour) => set({ colour })}
    />
    <Keyed
      part="haze-0"
      of="density"
      label="Density"
      unit="/ m"
      places={3}
      step={0.005}
      value={haze.density ?? 0}
      now={now?.density}
      least={0}
      most={0.2}
      set={(density) => change({ density: Math.max(density, 0) })}
    />
    <NumberField
      label="It begins"
      unit="m off"
      length
      step={0.5}
      min={0}
      value={haze.start_m ?? 0}
      ontry={(start_m) => project.try(change({ start_m }))}
      onkeep={(start_m) => set({ start_m })}
    />
    <div class="mt-1 grid grid-cols-2 gap-1" role="group" aria-label="How high it lies">
      <Press tight aria-pressed={haze.fall_m == null} onclick={() => set({ fall_m: null })}
        >At any height</Press
      >
      <Press
        tight
        aria-pressed={haze.fall_m != null}
        onclick={() => haze.fall_m == null && set({ fall_m: 2 })}>Near the ground</Press
      >
    </div>
    {#if haze.fall_m != null}
      <NumberField
        label="It thins in"
        unit="m"
        length
        step={0.25}
        min={0.01}
        value={haze.fall_m}
        ontry={(fall_m) => project.try(change({ fall_m }))}
        onkeep={(fall_m) => set({ fall_m })}
      />
      <NumberField
        label="above"
        unit="m"
        length
        step={0.25}
        value={haze.level_m ?? 0}
        ontry={(level_m) => project.try(change({ level_m }))}
        onkeep={(level_m) => set({ level_m })}
      />
    {/if}
    <p class="mt-2 mb-1 text-[12px] text-quiet">What lies in it</p>
    <Amounts amounts={haze.amounts ?? []} set={(amounts) => set({ amounts })} />
    <Press
      tight
      class="mt-2 w-full"
      onclick={() => project.keep({ verb: 'SetHaze', haze: null } as Change)}>Clear it</Press
    >
  {/if}
</Section>
