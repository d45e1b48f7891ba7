<script lang="ts">
  /** A guest again and again: in a row, or strewn by a seed. */
  import type { Guest } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import { altered } from './guests.svelte';

  let { guest }: { guest: Guest } = $props();

  const change = (to: Record<string, unknown>) => altered(guest, to);
  const set = (to: Record<string, unknown>) => void project.keep(change(to));
  const { row, scatter } = $derived({ row: guest.row ?? null, scatter: guest.scatter ?? null });
  const step = $derived(guest.height_m * 1.2);
  const along = $derived({ turn_deg: guest.turn_deg ?? 0, step_m: step, rise_m: 0, count: 3 });
  const strewn = $derived({ count: 12, width_m: 6 * step, depth_m: 6 * step, seed: 1, size: 0.1 });
  const inRow = (to: Record<string, unknown>) => ({ row: { ...row, ...to } });
  const inScatter = (to: Record<string, unknown>) => ({ scatter: { ...scatter, ...to } });
  const whole = (v: number, least: number, most: number) =>
    Math.round(Math.min(Math.max(v, least), most));
</script>

<div class="mt-2 grid grid-cols-3 gap-1" role="group" aria-label="Repeated">
  <Press tight aria-pressed={!row && !scatter} onclick={() => set({ row: null, scatter: null })}
    >Once</Press
  >
  <Press tight aria-pressed={!!row} onclick={() => set({ row: row ? null : along })}>In a row</Press
  >
  <Press tight aria-pressed={!!scatter} onclick={() => set({ scatter: scatter ? null : strewn })}
    >Strewn</Press
  >
</div>
{#if row}
  <NumberField
    label="In the row"
    places={0}
    step={1}
    min={2}
    value={row.count}
    onkeep={(v) => set(inRow({ count: whole(v, 2, 400) }))}
  />
  <NumberField
    label="Each on by"
    length
    step={0.1}
    value={row.step_m}
    ontry={(step_m) => project.try(change(inRow({ step_m })))}
    onkeep={(step_m) => set(inRow({ step_m }))}
  />
  <NumberField
    label="The row runs"
    unit="°"
    places={1}
    step={5}
    value={row.turn_deg ?? 0}
    ontry={(turn_deg) => project.try(change(inRow({ turn_deg })))}
    onkeep={(turn_deg) => set(inRow({ turn_deg }))}
  />
{/if}
{#if scatter}
  <NumberField
    label="Strewn"
    places={0}
    step={1}
    min={2}
    value={scatter.count}
    onkeep={(v) => set(inScatter({ count: whole(v, 2, 2000) }))}
  />
  {#each [['width_m', 'over, wide'], ['depth_m', 'and deep']] as const as [name, label] (name)}
    <NumberField
      {label}
      length
      step={0.5}
      min={0.01}
      value={scatter[name]}
      ontry={(v) => project.try(change(inScatter({ [name]: v })))}
      onkeep={(v) => set(inScatter({ [name]: v }))}
    />
  {/each}
  <NumberField
    label="Larger or smaller by"
    unit="%"
    places={0}
    step={5}
    min={0}
    value={100 * (scatter.size ?? 0)}
    onkeep={(v) => set(inScatter({ size: Math.min(Math.max(v, 0), 90) / 100 }))}
  />
  <NumberField
    label="Seed"
    places={0}
    step={1}
    min={0}
    value={scatter.seed ?? 0}
    ontry={(v) => project.try(change(inScatter({ seed: whole(v, 0, 1e6) })))}
    onkeep={(v) => set(inScatter({ seed: whole(v, 0, 1e6) }))}
  />
{/if}
