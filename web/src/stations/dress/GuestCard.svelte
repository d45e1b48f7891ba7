<script lang="ts">
  /** How a picture on a card is mixed with what is behind it, and when a clip plays. */
  import type { Change, Guest } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import Playing from '../../project/Playing.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
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
  <Playing
    {playing}
    play={(all) => project.keep({ verb: 'PlayGuest', guest: guest.id, ...all } as Change)}
  />
{/if}
