<script lang="ts">
  /** Every trace, worst first; what can be done with the selected one. */
  import Heading from '../../../lib/Heading.svelte';
  import { Kbd } from 'flowbite-svelte';
  import { Select } from 'flowbite-svelte';
  import { selection } from '../../../project/selection.svelte';
  import { nextWorst, remove } from '../selected';
  import { DISAGREES, lengthOf, ordered, passes, type Order } from '../traces';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import { nameOf, traceNames } from '../../../project/headings';
  import { plain } from '../../../lib/words';
  import Swatch from '../../../project/Swatch.svelte';
  import Press from '../../../lib/Press.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const r = $derived(project.reading);
  const locked = $derived(sighting.locked ?? false);
  const names = $derived(traceNames(sighting.traces ?? []));
  const MANY = 10;
  let by = $state<Order>('worst');
  let which = $state('all');
  const reads = $derived(new Map((r?.traces ?? []).map((x) => [x.id, x])));
  const all = $derived(
    (sighting.traces ?? []).map((t) => ({
      ...t,
      name: names.get(t.id)!,
      read: reads.get(t.id),
      long: lengthOf(t.points),
    })),
  );
  const headings = $derived([...new Set(all.map((t) => t.heading))]);
  const off = $derived(all.filter((t) => t.read?.disagrees).length);
  const worst = $derived(ordered(all.filter(passes(which)), by));
  const chosen = $derived(all.find((t) => selection.has('trace', t.id)));
  let list = $state<HTMLUListElement>();
  $effect(() => {
    if (chosen) list?.querySelector('[aria-pressed=true]')?.scrollIntoView({ block: 'nearest' });
  });
</script>

<Heading>
  Traces
  <Press
    kind="bare"
    class="text-[12px] font-normal text-quiet hover:text-ink"
    disabled={!all.length}
    onclick={nextWorst}>worst first <Kbd>J</Kbd></Press
  >
</Heading>
{#if !all.length}
  <p class="text-quiet">
    None yet. Two edges of one heading and two of another are enough to begin.
  </p>
{/if}
{#if all.length > MANY}
  <div class="mb-1 flex gap-1.5">
    <Select placeholder="" class="flex-1" aria-label="Which traces" bind:value={which}>
      <option value="all">all {all.length}</option>
      {#each headings as h (h)}
        <option value={h}>{nameOf(h)} · {all.filter((t) => t.heading === h).length}</option>
      {/each}
      {#if off}<option value={DISAGREES}>disagreeing · {off}</option>{/if}
    </Select>
    <Select placeholder="" class="flex-1" aria-label="In which order" bind:value={by}>
      <option value="worst">worst first</option>
      <option value="name">by name</option>
      <option value="longest">longest first</option>
      <option value="trust">least trusted first</option>
    </Select>
  </div>
{/if}
<ul class="max-h-[max(8rem,calc(100vh-620px))] overflow-y-auto" bind:this={list}>
  {#each worst as t (t.id)}
    <li class="flex items-center">
      <Press
        kind="bare"
        class={[
          'flex flex-1 items-center gap-2 rounded-md px-1.5 py-[2px] text-left hover:bg-hover',
          selection.has('trace', t.id) && 'text-lantern',
        ]}
        aria-pressed={selection.has('trace', t.id)}
        onclick={() => selection.toggle('trace', t.id)}
      >
        <Swatch heading={t.heading} wide={20} />
        <span class="flex-1">{t.name}</span>
        {#if t.read?.disagrees}<span class="text-[12px] text-warning">disagrees</span>{/if}
        {#if (t.trust ?? 1) < 1}<span class="num text-[12px] text-quiet"
            >{Math.round((t.trust ?? 1) * 100)} %</span
          >{/if}
        <span class="num text-[12px]" class:text-warning={(t.read?.misfit_px ?? 0) > 2}
          >{t.read?.misfit_px != null ? `${plain(t.read.misfit_px, 1)} px` : '—'}</span
        >
      </Press>
      {#if !locked}
        <Press
          kind="bare"
          class="px-1.5 text-quiet hover:text-warning"
          aria-label="Delete {t.name}"
          onclick={() => {
            selection.choose('trace', t.id);
            remove();
          }}>✕</Press
        >
      {/if}
    </li>
  {/each}
</ul>
{#if chosen && !locked}
  <div class="mt-1 rounded-md bg-field px-2 py-1.5" role="group" aria-label="Selected trace">
    <NumberField
      label="Trust"
      unit="%"
      places={0}
      step={10}
      min={0}
      value={(chosen.trust ?? 1) * 100}
      onkeep={(v) =>
        project.keep({
          verb: 'TrustTrace',
          trace: chosen.id,
          trust: Math.min(Math.max(v / 100, 0), 1),
        })}
    />
    <div class="flex items-center justify-between gap-2 text-[12px] text-quiet">
      <span
        ><Kbd>←</Kbd>
        <Kbd>↑</Kbd> nudge {selection.only?.part === undefined
          ? 'it'
          : `end ${selection.only.part + 1}`} by 0.1 px</span
      >
      <Press
        kind="bare"
        class="underline hover:text-ink"
        title="Lay points along the edge where the lens bends it"
        onclick={() => project.keep({ verb: 'FollowEdge', trace: chosen.id, reach: 12 })}
        >Follow its bend</Press
      >
    </div>
  </div>
{/if}
