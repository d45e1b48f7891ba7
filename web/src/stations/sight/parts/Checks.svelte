<script lang="ts">
  /** What the sighting is checked with: a grid, a test box, standing figures. */
  import { desk, type Check } from '../../../lib/desk.svelte';
  import NumberField from '../../../lib/NumberField.svelte';

  const PLANES: [Check['plane'], string][] = [
    ['ground', 'Ground'],
    ['across', 'Across wall'],
    ['away', 'Away wall'],
  ];
  const set = (change: Partial<Check>) => {
    desk.check = { ...desk.check, ...change };
  };
</script>

<div class="grid grid-cols-3 gap-1" role="radiogroup" aria-label="Grid lies on">
  {#each PLANES as [plane, name] (plane)}
    <button
      class="act px-1 text-[12px]"
      role="radio"
      aria-checked={desk.check.plane === plane}
      onclick={() => {
        set({ plane });
        desk.grid = true;
      }}>{name}</button
    >
  {/each}
</div>
{#if desk.check.plane === 'ground'}
  <NumberField
    label="Grid at height"
    length
    value={desk.check.level}
    onkeep={(level) => set({ level })}
  />
{:else}
  <p class="py-1 text-[12px] text-quiet">It stands where the test box does: slide that.</p>
{/if}
<NumberField
  label="Grid spacing"
  length
  value={desk.check.spacing}
  min={0.01}
  onkeep={(v) => set({ spacing: Math.max(v, 0.01) })}
/>
{#each ['Box width', 'Box height', 'Box depth'] as label, i (label)}
  <NumberField
    {label}
    length
    min={0.01}
    value={desk.check.box[i]}
    onkeep={(v) => {
      const box = [...desk.check.box] as Check['box'];
      box[i] = Math.max(v, 0.01);
      set({ box });
      desk.testBox = true;
    }}
  />
{/each}
<NumberField
  label="Figures' height"
  length
  min={0.1}
  value={desk.check.figure}
  onkeep={(v) => {
    set({ figure: Math.max(v, 0.1) });
    desk.figures = true;
  }}
/>
