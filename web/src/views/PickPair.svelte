<script lang="ts">
  /** The same places, picked in two pictures that stand side by side. */
  import type { Snippet } from 'svelte';
  import type { Plate } from '../lib/api/client';
  import type { Point } from './camera';
  import PickPane from './PickPane.svelte';

  type Pane = { label: string; plate: Plate; address: string };
  let {
    panes,
    marks = $bindable(),
    asks,
    trouble = '',
    above,
  }: {
    panes: [Pane, Pane];
    marks: [Point[], Point[]];
    asks: string;
    trouble?: string;
    above?: Snippet<[0 | 1]>;
  } = $props();

  const both = [0, 1] as const;
  const next = $derived(
    marks[0].length === marks[1].length
      ? asks
      : marks[0].length > marks[1].length
        ? `Now place ${marks[1].length + 1} in the right picture.`
        : `Now place ${marks[0].length + 1} in the left picture.`,
  );
  const remove = (number: number) =>
    (marks = [0, 1].map((k) => marks[k].filter((_, i) => i !== number)) as [Point[], Point[]]);
</script>

<div class="grid grid-cols-2 gap-3">
  {#each both as k (k)}
    <div class="min-w-0">
      {@render above?.(k)}
      <PickPane {...panes[k]} bind:marks={marks[k]} {remove} />
    </div>
  {/each}
</div>
<p class="mt-2 text-[12px] text-lantern" role="status">{next}</p>
<p class="text-[12px] text-quiet">
  Drag a place to move it; the arrows move the one that has the focus by a pixel, Delete takes it
  away in both.
</p>
{#if trouble}<p class="mt-1 text-warning" role="alert">{trouble}</p>{/if}
