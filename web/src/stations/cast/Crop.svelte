<script lang="ts">
  /** Which part of its frame a lantern's plate fills: all of it, or a crop of it. */
  import type { Lantern, Plate } from '../../lib/api/client';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import Press from '../../lib/Press.svelte';

  type Window = NonNullable<Lantern['window']>;
  let {
    lantern,
    plate,
    set,
  }: {
    lantern: Lantern;
    plate: Plate;
    set: (to: Record<string, unknown>) => unknown;
  } = $props();

  const frame = $derived(lantern.view ?? project.scene!.plate);
  const SIDES = [
    ['left', 'Left'],
    ['top', 'Top'],
    ['width', 'Width'],
    ['height', 'Height'],
  ] as const;

  /** As many of the frame's pixels as the plate has, in the frame's middle. */
  function begin() {
    const width = Math.min(plate.width, frame.width);
    const height = Math.min(plate.height, frame.height);
    const left = Math.floor((frame.width - width) / 2);
    const top = Math.floor((frame.height - height) / 2);
    set({ window: { left, top, width, height } satisfies Window });
  }
</script>

<p class="mt-2 mb-1 text-[12px] text-quiet">Its plate fills</p>
<div class="grid grid-cols-2 gap-1" role="group" aria-label="What its plate fills">
  <Press
    tight
    aria-pressed={!lantern.window}
    onclick={() => lantern.window && set({ window: null })}>The whole frame</Press
  >
  <Press
    tight
    aria-pressed={!!lantern.window}
    title="The plate is a crop: it fills a part of the frame, and nothing is thrown outside it"
    onclick={() => !lantern.window && begin()}>A part of it</Press
  >
</div>
{#if lantern.window}
  {@const window = lantern.window}
  <div class="mt-1.5 grid grid-cols-2 gap-x-2" role="group" aria-label="The part that it fills">
    {#each SIDES as [side, label] (side)}
      <NumberField
        {label}
        unit="px"
        places={0}
        step={1}
        min={side === 'width' || side === 'height' ? 1 : undefined}
        value={window[side]}
        onkeep={(v) => set({ window: { ...window, [side]: v } })}
      />
    {/each}
  </div>
  <p class="mt-1 text-[12px] text-quiet">of {frame.width} × {frame.height} px of its frame</p>
{/if}
