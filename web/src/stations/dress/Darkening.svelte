<script lang="ts">
  /** Darkening where surfaces meet. */
  import type { Change, Darkening } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import Section from '../../lib/Section.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import { preview } from '../shot/preview.svelte';
  import Amounts from './Amounts.svelte';
  import Keyed from './Keyed.svelte';

  const darkening = $derived(project.scene!.darkening);
  const change =
    (to: Partial<Darkening>): (() => Change | null) =>
    () => {
      const old = project.scene?.darkening;
      return old ? ({ verb: 'SetDarkening', darkening: { ...old, ...to } } as Change) : null;
    };
  const set = (to: Partial<Darkening>) => void project.keep(change(to));
  const alone = $derived(preview.on && preview.only === 'darkening');
  async function remove() {
    if (alone) preview.clear();
    await project.keep({ verb: 'SetDarkening', darkening: null } as Change);
  }
</script>

<Section
  title="Darkening"
  note={darkening ? `${Math.round(100 * (darkening.strength ?? 0))} % where surfaces meet` : 'none'}
  open={!!darkening}
>
  {#if !darkening}
    <Press
      tight
      class="w-full"
      title="Less light where things stand close to one another"
      onclick={() => project.keep({ verb: 'SetDarkening', darkening: {} } as Change)}
      >Darken where surfaces meet</Press
    >
  {:else}
    <Keyed
      part="darkening-0"
      of="strength"
      label="Strength"
      value={darkening.strength ?? 0.6}
      least={0}
      most={1}
      set={(strength) => change({ strength: Math.min(Math.max(strength, 0), 1) })}
    />
    <NumberField
      label="It reaches"
      unit="m"
      length
      step={0.25}
      min={0.001}
      value={darkening.reach_m ?? 1}
      onkeep={(reach_m) => set({ reach_m })}
    />
    <Press
      tight
      class="mt-1 w-full"
      aria-pressed={alone}
      title="The rendered frame with nothing but the darkening, on white"
      onclick={() => (alone ? preview.clear() : preview.see('darkening'))}>See it alone</Press
    >
    <p class="mt-1 text-[12px] text-quiet">It is seen in the preview and in frames.</p>
    <p class="mt-2 mb-1 text-[12px] text-quiet">What takes it</p>
    <Amounts amounts={darkening.amounts ?? []} set={(amounts) => set({ amounts })} />
    <Press tight class="mt-2 w-full" onclick={remove}>Take it away</Press>
  {/if}
</Section>
