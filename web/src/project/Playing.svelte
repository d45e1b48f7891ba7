<script lang="ts">
  /** When pictures over time play: from which frame of the shot, how fast, which of them, and where
   *  they rest. */
  import { Checkbox } from 'flowbite-svelte';
  import type { Plate } from '../lib/api/client';
  import Press from '../lib/Press.svelte';
  import NumberField from './NumberField.svelte';
  import { playhead } from './playhead.svelte';

  type Playing = NonNullable<Plate['playing']>;
  let {
    playing,
    play,
  }: { playing: Playing; play: (all: Omit<Playing, 'count' | 'first'>) => unknown } = $props();

  const set = (to: Partial<Playing>) => {
    const { offset = 0, rate, rests = [], loops = false, begins = 0, ends = null } = playing;
    void play({ offset, rate, rests, loops, begins, ends, ...to });
  };
  const own = $derived(playing.first ?? 0); // the number that its files begin with
  const rests = $derived(playing.rests ?? []);
  const within = (n: number) => Math.min(Math.max(Math.round(n) - own, 0), playing.count - 1);
</script>

<NumberField
  label="It plays from frame"
  places={0}
  step={1}
  value={playhead.numbered(playing.offset ?? 0)}
  onkeep={(frame) => set({ offset: Math.round(frame) - playhead.numbered(0) })}
/>
<NumberField
  label="Pictures a second"
  places={3}
  step={1}
  min={0.001}
  value={playing.rate}
  onkeep={(rate) => set({ rate })}
/>
<NumberField
  label="First of its pictures"
  places={0}
  step={1}
  min={own}
  value={own + (playing.begins ?? 0)}
  onkeep={(n) => set({ begins: within(n) })}
/>
<NumberField
  label="Last of its pictures"
  places={0}
  step={1}
  min={own}
  value={own + (playing.ends ?? playing.count - 1)}
  onkeep={(n) => set({ ends: within(n) === playing.count - 1 ? null : within(n) })}
/>
<NumberField
  label="Frames to rest at {playhead.numbered()}"
  places={0}
  step={1}
  min={0}
  value={rests.find((rest) => rest.frame === playhead.frame)?.frames ?? 0}
  onkeep={(frames) => {
    const others = rests.filter((rest) => rest.frame !== playhead.frame);
    set({ rests: frames > 0 ? [...others, { frame: playhead.frame, frames }] : others });
  }}
/>
{#if rests.length}
  <p class="text-[12px] text-quiet">
    It rests at {#each rests as rest, i (rest.frame)}{i ? ', ' : ''}<span class="num text-ink"
        >{playhead.numbered(rest.frame)}</span
      >
      for <span class="num">{rest.frames}</span>{/each}.
  </p>
{/if}
<div class="mt-1 flex items-center justify-between gap-2">
  <label class="flex items-center gap-2"
    ><Checkbox
      checked={!!playing.loops}
      onchange={(e) => set({ loops: (e.currentTarget as HTMLInputElement).checked })}
    /> again and again</label
  >
  <Press tight onclick={() => set({ offset: playhead.frame })}>From here</Press>
</div>
