<script lang="ts">
  /** The three headings: how many traces, how well they agree, and which is next. */
  import { selection } from '../../../lib/selection.svelte';
  import { drawing } from '../drawing.svelte';
  import { project } from '../../../lib/project.svelte';
  import { HEADINGS, NAMES, plain } from '../../../lib/words';
  import Swatch from './Swatch.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const r = $derived(project.reading);
  const locked = $derived(sighting.locked ?? false);
  const count = $derived(sighting.traces?.length ?? 0);
  const chosen = $derived(sighting.traces?.find((t) => selection.has('trace', t.id)));
</script>

<h2 class="section">
  Headings <small>{count} {count === 1 ? 'trace' : 'traces'}</small>
</h2>
<div role="radiogroup" aria-label="Heading of the next trace">
  {#each HEADINGS as h, i (h)}
    {@const read = r?.headings?.find((x) => x.heading === h)}
    {@const on = chosen ? chosen.heading === h : drawing.heading === h}
    <button
      class="flex w-full items-center gap-2 rounded-md px-1.5 py-1 text-left hover:bg-hover"
      class:bg-field={on}
      role="radio"
      aria-checked={on}
      disabled={locked}
      onclick={() => drawing.turn(h)}
    >
      <Swatch heading={h} />
      <span class="w-14">{NAMES[h]}</span>
      <span class="h-1.5 flex-1 overflow-hidden rounded bg-hover" aria-hidden="true">
        <span
          class="block h-full"
          class:bg-jade={(read?.strength ?? 0) >= 0.4}
          class:bg-warning={(read?.strength ?? 0) < 0.4}
          style="width: {(read?.count ? (read.strength ?? 0) : 0) * 100}%"
        ></span>
      </span>
      <span class="num w-[74px] text-right text-[12px] whitespace-nowrap"
        >{read?.count ?? 0} · {read?.fit_px != null ? `${plain(read.fit_px, 1)} px` : '—'}</span
      >
      <kbd>{i + 1}</kbd>
    </button>
  {/each}
  <button
    class="flex w-full items-center gap-2 rounded-md px-1.5 py-1 text-left text-quiet hover:bg-hover"
    class:bg-field={!chosen && drawing.heading === 'direction'}
    role="radio"
    aria-checked={!chosen && drawing.heading === 'direction'}
    disabled={locked}
    onclick={() => drawing.turn('direction')}
  >
    <Swatch heading="direction" />
    <span class="flex-1">By direction</span>
    <kbd>4</kbd>
  </button>
</div>
