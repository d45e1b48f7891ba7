<script lang="ts">
  /** Where the world's zero lies, which way it runs, and how big it is. */
  import { Checkbox } from 'flowbite-svelte';
  import { chosen } from '../../../lib/units.svelte';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import { sightHand } from '../hand.svelte';
  import TapeRow from './TapeRow.svelte';
  import Press from '../../../lib/Press.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const r = $derived(project.reading);
  const locked = $derived(sighting.locked ?? false);
  const ON = { ground: 'ground', up: 'upright', proxy: 'on proxy' };
</script>

<div class="mb-1 flex items-center justify-between text-[12px] text-quiet">
  <span>Lengths in</span>
  <span role="radiogroup" aria-label="Units" class="flex gap-1">
    {#each [['metric', 'Metres'], ['feet', 'Feet, inches']] as const as [u, name] (u)}
      <Press
        kind="chip"
        role="radio"
        aria-checked={chosen.units === u}
        onclick={() => (chosen.units = u)}>{name}</Press
      >
    {/each}
  </span>
</div>
<TapeRow
  label="Eye height"
  value={sighting.eye_height_m}
  disabled={locked}
  measured={r?.eye_height_m?.value}
  off={r?.eye_off_m}
  open="Leave this length open"
  ontry={(metres) => project.try({ verb: 'SetEyeHeight', metres })}
  onkeep={(metres) => project.keep({ verb: 'SetEyeHeight', metres })}
  onopen={() => project.keep({ verb: 'SetEyeHeight', metres: null })}
/>
<TapeRow
  label="Distance to the datum"
  value={sighting.distance_m}
  disabled={locked || !sighting.datum}
  measured={r?.distance?.measured_m}
  off={r?.distance?.off_m}
  open="Leave this distance open"
  onkeep={(metres) => project.keep({ verb: 'SetDistance', metres })}
  onopen={() => project.keep({ verb: 'SetDistance', metres: null })}
/>
{#each sighting.tapes ?? [] as t, i (t.id)}
  {@const read = r?.tapes?.find((x) => x.id === t.id)}
  <div class:text-lantern={sightHand.fresh === t.id}>
    <TapeRow
      label="Tape {i + 1}, {ON[t.on ?? 'ground']}"
      value={t.length_m}
      disabled={locked}
      says="says"
      measured={read?.measured_m}
      off={read?.off_m}
      open="Delete tape {i + 1}"
      ontry={(length_m) => project.try({ verb: 'AlterTape', tape: t.id, length_m })}
      onkeep={(length_m) => {
        sightHand.fresh = null;
        void project.keep({ verb: 'AlterTape', tape: t.id, length_m });
      }}
      onopen={() => project.keep({ verb: 'DeleteTape', tape: t.id })}
    />
  </div>
{/each}
{#if sighting.datum}
  <NumberField
    label="Datum above the ground"
    length
    value={sighting.datum_level_m ?? 0}
    disabled={locked}
    onkeep={(level_m) =>
      project.keep((s) => {
        const point = s.sighting?.datum;
        return point ? { verb: 'SetDatum', point, level_m } : null;
      })}
  />
{/if}
<div class="mt-1 flex items-center gap-1.5">
  <span class="flex-1 text-quiet">Across and Away</span>
  {#each [['left', '↶', 'Turn a quarter to the left'], ['right', '↷', 'Turn a quarter to the right'], ['swap', 'Swap', 'Swap Across and Away'], ['round', 'Round', 'Turn half round']] as const as [by, sign, name] (by)}
    <Press
      class="min-h-6 px-2 text-[12px]"
      aria-label={name}
      title={name}
      disabled={locked || !r?.focal_px}
      onclick={() => project.keep({ verb: 'TurnWays', by })}>{sign}</Press
    >
  {/each}
</div>
<label class="mt-1.5 flex items-center justify-between text-quiet">
  Level the horizon
  <Checkbox
    checked={sighting.level ?? false}
    disabled={locked}
    onchange={(e) => project.keep({ verb: 'SetLevel', level: e.currentTarget.checked })}
  />
</label>
{#if r?.trouble}<p class="mt-1 text-[12px] text-warning" role="alert">{r.trouble}</p>{/if}
