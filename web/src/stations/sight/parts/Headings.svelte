<script lang="ts">
  /** The headings and bearings: how many traces, how well they agree, and which is next. */
  import Heading from '../../../lib/Heading.svelte';
  import { Kbd } from 'flowbite-svelte';
  import { selection } from '../../../project/selection.svelte';
  import { drawing } from '../drawing.svelte';
  import { project } from '../../../project/project.svelte';
  import { freeLetter, isBearing, nameOf } from '../../../project/headings';
  import { plain } from '../../../lib/words';
  import { proposing } from '../proposal.svelte';
  import Swatch from '../../../project/Swatch.svelte';
  import { tip } from '../../../lib/tip';
  import Press from '../../../lib/Press.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const r = $derived(project.reading);
  const locked = $derived(sighting.locked ?? false);
  const count = $derived(sighting.traces?.length ?? 0);
  const chosen = $derived(sighting.traces?.find((t) => selection.has('trace', t.id)));
  const ways = $derived(drawing.ways);
  // bearings that found edges run along and nothing is traced along yet
  const found = $derived(
    new Set(
      (proposing.found?.edges ?? []).flatMap((e) =>
        e.heading && isBearing(e.heading) && !ways.includes(e.heading) ? [e.heading] : [],
      ),
    ),
  );
</script>

<Heading>
  Headings <small>{count} {count === 1 ? 'trace' : 'traces'}</small>
</Heading>
<div role="radiogroup" aria-label="Heading of the next trace">
  {#each ways as h, i (h)}
    {@const read = r?.headings?.find((x) => x.heading === h)}
    {@const on = chosen ? chosen.heading === h : drawing.heading === h}
    <Press
      kind="bare"
      class={[
        'flex w-full items-center gap-2 rounded-md px-1.5 py-1 text-left hover:bg-hover',
        on && 'bg-field',
      ]}
      role="radio"
      aria-checked={on}
      disabled={locked}
      onclick={() => drawing.turn(h)}
    >
      <Swatch heading={h} />
      <span class={isBearing(h) ? '' : 'w-14'} {...tip(isBearing(h) ? nameOf(h) : null)}
        >{isBearing(h) ? h : nameOf(h)}</span
      >
      {#if isBearing(h)}
        <span class="num flex-1 text-[12px] text-quiet"
          >{read?.turn_deg != null
            ? `${plain(read.turn_deg, 1)} ± ${plain(read.turn_sigma_deg ?? 0, 1)}°`
            : 'turn open'}</span
        >
      {:else}
        <span class="h-1.5 flex-1 overflow-hidden rounded bg-hover" aria-hidden="true">
          <span
            class="block h-full"
            class:bg-jade={(read?.strength ?? 0) >= 0.4}
            class:bg-warning={(read?.strength ?? 0) < 0.4}
            style="width: {(read?.count ? (read.strength ?? 0) : 0) * 100}%"
          ></span>
        </span>
      {/if}
      <span class="num w-[74px] text-right text-[12px] whitespace-nowrap"
        >{read?.count ?? 0} · {read?.fit_px != null ? `${plain(read.fit_px, 1)} px` : '—'}</span
      >
      {#if i < 3}<Kbd>{i + 1}</Kbd>{:else}<span class="w-[17px]"></span>{/if}
    </Press>
  {/each}
  <Press
    kind="bare"
    class={[
      'flex w-full items-center gap-2 rounded-md px-1.5 py-1 text-left text-quiet hover:bg-hover',
      !chosen && drawing.heading === 'direction' && 'bg-field',
    ]}
    role="radio"
    aria-checked={!chosen && drawing.heading === 'direction'}
    disabled={locked}
    onclick={() => drawing.turn('direction')}
  >
    <Swatch heading="direction" />
    <span class="flex-1">By direction</span>
    <Kbd>4</Kbd>
  </Press>
  <Press
    kind="bare"
    class="flex w-full items-center gap-2 rounded-md px-1.5 py-1 text-left text-quiet hover:bg-hover"
    disabled={locked}
    title="A level direction at its own turn, for what stands at no right angle to Across and Away"
    onclick={() => drawing.turn(freeLetter(ways))}
  >
    <Swatch heading={freeLetter(ways)} />
    <span class="flex-1"
      >{chosen ? 'Into a new bearing' : 'New bearing'}{found.size
        ? `; ${found.size === 1 ? 'one stands' : `${found.size} stand`} out`
        : ''}</span
    >
    <Kbd>5</Kbd>
  </Press>
</div>
