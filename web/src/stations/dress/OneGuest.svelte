<script lang="ts">
  /** What can be set on a guest. */
  import { Checkbox } from 'flowbite-svelte';
  import type { Guest } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import Words from '../../lib/Words.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import GuestCard from './GuestCard.svelte';
  import GuestWords from './GuestWords.svelte';
  import { altered, standOf } from './guests.svelte';
  import Keyed from './Keyed.svelte';
  import Repeats from './Repeats.svelte';

  let { guest }: { guest: Guest } = $props();

  const change = (to: Record<string, unknown>) => altered(guest, to);
  const set = (to: Record<string, unknown>) => void project.keep(change(to));
  const known = $derived(project.guests.get(guest.id));
  const now = $derived(standOf(guest.id));
  const file = $derived(guest.kind === 'model' ? guest.file : null);
  const PLACES = [
    ['x', 'Across', 0],
    ['level_m', 'Up', 1],
    ['z', 'Towards the lens', 2],
  ] as const;
  const near = (v: number) => ({ least: v - 6, most: v + 6 });
</script>

<div class="mt-1.5 rounded-md border border-line p-2" role="group" aria-label={guest.name}>
  <Words
    class="mb-1.5"
    aria-label="Guest’s name"
    value={guest.name}
    onkeep={(name) => name && set({ name })}
  />
  <div class="grid grid-cols-2 gap-1">
    <Press tight onclick={() => project.keep({ verb: 'DuplicateGuest', guest: guest.id })}
      >Duplicate</Press
    >
    <Press tight onclick={() => project.keep({ verb: 'DeleteGuest', guest: guest.id })}
      >Delete</Press
    >
  </div>
  {#if file}
    <p class="mt-1 text-[12px] text-quiet">
      {file.triangles?.toLocaleString('en')} triangles{file.pictures
        ? `, ${file.pictures} pictures`
        : ''}
    </p>
  {/if}
  {#each [known?.trouble, known?.doubt].filter(Boolean) as words (words)}
    <p class="mt-1 text-[12px] text-warning" role="status">{words}</p>
  {/each}
  {#if guest.kind === 'words'}<GuestWords {guest} />{/if}
  <NumberField
    label={guest.kind === 'words' ? 'Capitals are high' : 'High'}
    length
    min={0.002}
    step={0.05}
    value={guest.height_m}
    ontry={(height_m) => project.try(change({ height_m }))}
    onkeep={(height_m) => set({ height_m })}
  />
  {#if guest.kind === 'picture'}<GuestCard {guest} />{/if}
  <Keyed
    part={guest.id}
    of="strength"
    label="Strength"
    value={guest.strength ?? 1}
    now={now?.strength}
    least={0}
    most={1}
    set={(strength) => change({ strength: Math.min(Math.max(strength, 0), 1) })}
  />
  {#each PLACES as [name, label, row] (name)}
    <Keyed
      part={guest.id}
      of={name}
      {label}
      unit="m"
      length
      step={0.1}
      value={guest[name] ?? 0}
      now={now?.frame[4 * row + 3]}
      {...near(guest[name] ?? 0)}
      set={(v) => change({ [name]: v })}
    />
  {/each}
  <Keyed
    part={guest.id}
    of="turn_deg"
    label="Turned"
    unit="°"
    places={1}
    step={5}
    value={guest.turn_deg ?? 0}
    least={-180}
    most={180}
    set={(turn_deg) => change({ turn_deg })}
  />
  {#each [['lean_deg', 'Leant back'], ['roll_deg', 'Rolled left']] as const as [name, label] (name)}
    <NumberField
      {label}
      unit="°"
      places={1}
      step={5}
      value={guest[name] ?? 0}
      ontry={(v) => project.try(change({ [name]: v }))}
      onkeep={(v) => set({ [name]: v })}
    />
  {/each}
  <label class="mt-1 flex items-center gap-2"
    ><Checkbox
      checked={!!guest.facing}
      onchange={(e) => set({ facing: (e.currentTarget as HTMLInputElement).checked })}
    /> faces the camera wherever it goes</label
  >
  <Repeats {guest} />
</div>
