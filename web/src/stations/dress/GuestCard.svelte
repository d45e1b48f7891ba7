<script lang="ts">
  /** How a picture on a card is mixed with what is behind it, and when a clip plays. */
  import { Checkbox } from 'flowbite-svelte';
  import type { Change, Guest } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { altered } from './guests.svelte';

  type Card = Extract<Guest, { kind?: 'picture' }>;
  let { guest }: { guest: Card } = $props();

  const set = (to: Record<string, unknown>) => void project.keep(altered(guest, to));
  const playing = $derived(guest.plate.playing ?? null);
  const MIXED = [
    ['over', 'Over', 'It hides what is behind it'],
    ['lighten', 'Lighten', 'Of it and what is behind it the lighter is seen'],
    ['sum', 'Sum', 'It is only light: fire, sparks, beams'],
  ] as const;
  const play = (to: Record<string, unknown>) => {
    const { offset = 0, rate = 24, rests = [], loops = false } = playing!;
    const all = { offset, rate, rests, loops, ...to };
    return project.keep({ verb: 'PlayGuest', guest: guest.id, ...all } as Change);
  };
</script>

<div class="mt-1 grid grid-cols-3 gap-1" role="group" aria-label="How it is mixed">
  {#each MIXED as [mixing, words, title] (mixing)}
    <Press
      tight
      {title}
      aria-pressed={(guest.mixing ?? 'over') === mixing}
      onclick={() => set({ mixing })}>{words}</Press
    >
  {/each}
</div>
<NumberField
  label="Its edges fade over"
  unit="%"
  places={0}
  step={5}
  min={0}
  value={100 * (guest.soft ?? 0)}
  onkeep={(v) => set({ soft: Math.min(Math.max(v, 0), 50) / 100 })}
/>
{#if playing}
  <NumberField
    label="It plays from frame"
    places={0}
    step={1}
    value={playing.offset ?? 0}
    onkeep={(offset) => void play({ offset })}
  />
  <NumberField
    label="Pictures a second"
    places={3}
    step={1}
    min={0.001}
    value={playing.rate}
    onkeep={(rate) => void play({ rate })}
  />
  <div class="mt-1 flex items-center justify-between gap-2">
    <label class="flex items-center gap-2"
      ><Checkbox
        checked={!!playing.loops}
        onchange={(e) => play({ loops: (e.currentTarget as HTMLInputElement).checked })}
      /> again and again</label
    >
    <Press tight onclick={() => play({ offset: playhead.frame })}>From here</Press>
  </div>
{/if}
