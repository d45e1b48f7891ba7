<script lang="ts">
  /** What the sighting is checked with: a grid, a test box, standing figures. */
  import { checks, type Check } from '../checks.svelte';
  import { project } from '../../../project/project.svelte';
  import AlongFootage from './AlongFootage.svelte';
  import NumberField from '../../../project/NumberField.svelte';
  import Press from '../../../lib/Press.svelte';

  const PLANES: [Check['plane'], string][] = [
    ['ground', 'Ground'],
    ['across', 'Across wall'],
    ['away', 'Away wall'],
  ];
  const set = (change: Partial<Check>) => {
    checks.check = { ...checks.check, ...change };
  };
</script>

{#if project.scene?.passed && project.scene.plate.playing}
  <AlongFootage />
{/if}
<div class="grid grid-cols-3 gap-1" role="radiogroup" aria-label="Grid lies on">
  {#each PLANES as [plane, name] (plane)}
    <Press
      class="px-1 text-[12px]"
      role="radio"
      aria-checked={checks.check.plane === plane}
      onclick={() => {
        set({ plane });
        checks.grid = true;
      }}>{name}</Press
    >
  {/each}
</div>
{#if checks.check.plane === 'ground'}
  <NumberField
    label="Grid at height"
    length
    value={checks.check.level}
    onkeep={(level) => set({ level })}
  />
{:else}
  <p class="py-1 text-[12px] text-quiet">It stands where the test box does: slide that.</p>
{/if}
<NumberField
  label="Grid spacing"
  length
  value={checks.check.spacing}
  min={0.01}
  onkeep={(v) => set({ spacing: Math.max(v, 0.01) })}
/>
{#each ['Box width', 'Box height', 'Box depth'] as label, i (label)}
  <NumberField
    {label}
    length
    min={0.01}
    value={checks.check.box[i]}
    onkeep={(v) => {
      const box = [...checks.check.box] as Check['box'];
      box[i] = Math.max(v, 0.01);
      set({ box });
      checks.testBox = true;
    }}
  />
{/each}
<NumberField
  label="Figures' height"
  length
  min={0.1}
  value={checks.check.figure}
  onkeep={(v) => {
    set({ figure: Math.max(v, 0.1) });
    checks.figures = true;
  }}
/>
