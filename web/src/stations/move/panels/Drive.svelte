<script lang="ts">
  /** How much of the move is made, and how much of it stands up. */
  import { Range } from 'flowbite-svelte';
  import Press from '../../../lib/Press.svelte';
  import { playhead } from '../../../project/playhead.svelte';
  import { project } from '../../../project/project.svelte';
  import { limits, percent } from '../limits.svelte';

  const amount = $derived(project.scene!.move.amount ?? 1);
  const stands = $derived(limits.amount);
  let dragged = $state<number | null>(null);
  const shown = $derived(dragged ?? amount);
  const over = $derived(stands !== null && stands.breaks !== null && shown > stands.most + 0.005);

  $effect(() => {
    void project.state?.revision;
    limits.askAmount();
  });
</script>

<div class="mt-3 flex items-baseline justify-between">
  <label for="drive" class="font-medium">Drive</label>
  <span class="text-[12px] text-quiet">
    {#if !project.shapes.size}nothing stands that it could show{:else if !stands}how much stands up
      is being looked at …
    {:else if !stands.breaks}all of it stands up
    {:else if stands.most < 0.02}{stands.breaks} shows from its first step on
    {:else}stands up to <b class="num text-ink">{percent(stands.most)}</b>, then
      {stands.breaks === 'wall' ? 'it goes through something' : stands.breaks}
      {stands.frame === null ? '' : `at ${playhead.numbered(stands.frame)}`}
    {/if}
  </span>
</div>
<div class="relative flex items-center gap-2">
  <div class="relative flex-1">
    <Range
      id="drive"
      min={0}
      max={150}
      step={1}
      value={Math.round(shown * 100)}
      aria-valuetext={percent(shown)}
      oninput={(e) => {
        dragged = Number(e.currentTarget.value) / 100;
        project.try({ verb: 'Drive', amount: dragged });
      }}
      onchange={(e) => {
        const to = Number(e.currentTarget.value) / 100;
        void project.keep({ verb: 'Drive', amount: to }).finally(() => (dragged = null));
      }}
    />
    {#if stands?.breaks}
      <span
        class="pointer-events-none absolute -top-0.5 h-5 w-0.5 bg-warning"
        style="left: calc(8px + (100% - 16px) * {Math.min(stands.most / 1.5, 1)})"
      ></span>
    {/if}
  </div>
  <span class={['num w-12 text-right', over && 'text-warning']}>{percent(shown)}</span>
</div>
{#if stands?.breaks && amount > stands.most}
  <div class="mt-1 grid grid-cols-2 gap-1.5">
    <Press
      title="Less of the move, as much as stands up"
      onclick={() => void project.keep(limits.within('less'))}>Keep within</Press
    >
    <Press
      title="The same path, taken so slowly that its last good frame is the last one"
      onclick={() => void project.keep(limits.within('slower'))}>Slow it down to fit</Press
    >
  </div>
{/if}
