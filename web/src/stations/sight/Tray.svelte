<script lang="ts">
  import { desk } from '../../lib/desk.svelte';
  import { remove, turn } from '../../lib/keys';
  import NumberField from '../../lib/NumberField.svelte';
  import { project } from '../../lib/project.svelte';
  import { route } from '../../lib/route.svelte';
  import { COLOURS, HEADINGS, NAMES, PATTERNS, plain, signed, traceNames } from '../../lib/words';
  import { sightHand } from './hand.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const r = $derived(project.reading);
  const locked = $derived(sighting.locked ?? false);
  const names = $derived(traceNames(sighting.traces ?? []));
  const numbered = $derived(
    (sighting.traces ?? []).map((t) => ({
      ...t,
      name: names.get(t.id)!,
      read: r?.traces?.find((x) => x.id === t.id),
    })),
  );
  const worst = $derived(
    [...numbered].sort(
      (a, b) =>
        Number(b.read?.disagrees ?? 0) - Number(a.read?.disagrees ?? 0) ||
        (b.read?.misfit_px ?? 0) - (a.read?.misfit_px ?? 0),
    ),
  );
  const chosen = $derived(numbered.find((t) => t.id === desk.selected));
  const mm = $derived(
    sighting.focal
      ? (sighting.focal.value * 36) /
          Math.max(project.scene!.plate.width, project.scene!.plate.height)
      : null,
  );
  const px = (v: number) =>
    (v * Math.max(project.scene!.plate.width, project.scene!.plate.height)) / 36;
</script>

<div class="grid grid-cols-3 gap-2">
  <button
    class="act"
    class:main={!sighting.traces?.length && desk.tool === 'none'}
    aria-pressed={desk.tool === 'trace'}
    disabled={locked}
    onclick={() => desk.choose('trace')}>Trace <kbd>T</kbd></button
  >
  <button
    class="act"
    aria-pressed={desk.tool === 'datum'}
    disabled={locked}
    onclick={() => desk.choose('datum')}>Datum <kbd>D</kbd></button
  >
  <button
    class="act"
    aria-pressed={desk.tool === 'tape'}
    disabled={locked}
    onclick={() => desk.choose('tape')}>Tape <kbd>M</kbd></button
  >
</div>

<div class="advice mt-3">
  {#if desk.tool === 'trace'}
    Draw along an edge that runs <b style="color: {COLOURS[desk.heading]}">{NAMES[desk.heading]}</b
    >. The longer the better. <kbd>1</kbd> <kbd>2</kbd> <kbd>3</kbd> change the heading.
  {:else if desk.tool === 'datum'}
    Press on a corner that lies on the ground: it becomes the world's zero.
  {:else if desk.tool === 'tape'}
    Draw along a length on the ground that you know, then type its measure.
  {:else}
    {r?.next_step}
  {/if}
</div>

<h2 class="section">
  Headings <small>{numbered.length} {numbered.length === 1 ? 'trace' : 'traces'}</small>
</h2>
<div role="radiogroup" aria-label="Heading of the next trace">
  {#each HEADINGS as h, i (h)}
    {@const read = r?.headings?.find((x) => x.heading === h)}
    {@const on = chosen ? chosen.heading === h : desk.heading === h}
    <button
      class="flex w-full items-center gap-2 rounded-md px-1.5 py-1.5 text-left hover:bg-hover"
      class:bg-field={on}
      role="radio"
      aria-checked={on}
      disabled={locked}
      onclick={() => turn(h)}
    >
      <svg width="24" height="4" aria-hidden="true"
        ><line
          x1="0"
          y1="2"
          x2="24"
          y2="2"
          stroke={COLOURS[h]}
          stroke-width="2.4"
          stroke-dasharray={PATTERNS[h] && (h === 'away' ? '7 3' : '6 3 2 3')}
        /></svg
      >
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
</div>

<h2 class="section">Traces <small>worst first</small></h2>
{#if !numbered.length}
  <p class="text-quiet">Two edges of one heading and two of another are enough to begin.</p>
{/if}
<ul class="max-h-44 overflow-y-auto">
  {#each worst as t (t.id)}
    <li class="flex items-center">
      <button
        class="flex flex-1 items-center gap-2 rounded-md px-1.5 py-[3px] text-left hover:bg-hover"
        class:text-lantern={desk.selected === t.id}
        aria-pressed={desk.selected === t.id}
        onclick={() => (desk.selected = desk.selected === t.id ? null : t.id)}
      >
        <svg width="20" height="4" aria-hidden="true"
          ><line
            x1="0"
            y1="2"
            x2="20"
            y2="2"
            stroke={COLOURS[t.heading]}
            stroke-width="2"
            stroke-dasharray={PATTERNS[t.heading] && '6 3'}
          /></svg
        >
        <span class="flex-1">{t.name}</span>
        {#if t.read?.disagrees}<span class="text-[12px] text-warning">disagrees</span>{/if}
        <span class="num text-[12px]" class:text-warning={(t.read?.misfit_px ?? 0) > 2}
          >{t.read?.misfit_px != null ? `${plain(t.read.misfit_px, 1)} px` : '—'}</span
        >
      </button>
      {#if !locked}
        <button
          class="px-1.5 text-quiet hover:text-warning"
          aria-label="Delete {t.name}"
          onclick={() => {
            desk.selected = t.id;
            remove();
          }}>✕</button
        >
      {/if}
    </li>
  {/each}
</ul>

<h2 class="section">
  Zero and size <small>{sighting.datum ? 'datum set' : 'no datum yet'}</small>
</h2>
<NumberField
  label="Eye height"
  unit="m"
  value={sighting.eye_height_m}
  min={0.01}
  disabled={locked}
  ontry={(metres) => project.try({ verb: 'SetEyeHeight', metres })}
  onkeep={(metres) => project.keep({ verb: 'SetEyeHeight', metres })}
/>
{#if sighting.eye_height_m && !locked}
  <button
    class="mb-1 text-[12px] text-quiet underline"
    onclick={() => project.keep({ verb: 'SetEyeHeight', metres: null })}
    >Leave the eye height open</button
  >
{/if}
{#each sighting.tapes ?? [] as t, i (t.id)}
  {@const read = r?.tapes?.find((x) => x.id === t.id)}
  <div class="flex items-center gap-1" class:text-lantern={sightHand.fresh === t.id}>
    <div class="flex-1">
      <NumberField
        label="Tape {i + 1}"
        unit="m"
        value={t.length_m}
        min={0.01}
        disabled={locked}
        ontry={(length_m) => project.try({ verb: 'AlterTape', tape: t.id, length_m })}
        onkeep={(length_m) => {
          sightHand.fresh = null;
          void project.keep({ verb: 'AlterTape', tape: t.id, length_m });
        }}
      />
    </div>
    <span
      class="num w-12 text-right text-[12px] text-quiet"
      title="What it measures, less what you say">{read ? signed(read.off_m, 2) : ''}</span
    >
    {#if !locked}<button
        class="px-1 text-quiet hover:text-warning"
        aria-label="Delete tape {i + 1}"
        onclick={() => project.keep({ verb: 'DeleteTape', tape: t.id })}>✕</button
      >{/if}
  </div>
{/each}
{#if r?.trouble}<p class="mt-1 text-[12px] text-warning" role="alert">{r.trouble}</p>{/if}

<h2 class="section">Focal length <small>{sighting.focal ? 'given' : 'solved'}</small></h2>
<NumberField
  label="Known, 35 mm terms"
  unit="mm"
  places={1}
  step={0.5}
  min={2}
  value={mm}
  disabled={locked}
  onkeep={(v) => project.keep({ verb: 'SetFocal', focal: { value: px(v), sigma: px(v) * 0.01 } })}
/>
{#if sighting.focal && !locked}
  <button
    class="text-[12px] text-quiet underline"
    onclick={() => project.keep({ verb: 'SetFocal', focal: null })}>Let it be solved</button
  >
{/if}

<div class="onward grid grid-cols-2 gap-2 bg-raised">
  <button
    class="act"
    aria-pressed={locked}
    disabled={!r?.settled && !locked}
    onclick={() => project.keep({ verb: 'SetLock', locked: !locked })}
    >{locked ? 'Unlock sighting' : 'Lock sighting'}</button
  >
  <button
    class="act"
    class:main={r?.settled}
    disabled={!r?.settled}
    onclick={() => route.go(route.project, 'block')}>On to Block</button
  >
</div>
