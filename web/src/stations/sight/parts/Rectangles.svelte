<script lang="ts">
  /** Rectangles: the plane each lies in, and its proportions. */
  import Heading from '../../../lib/Heading.svelte';
  import { Select } from 'flowbite-svelte';
  import { selection } from '../../../project/selection.svelte';
  import { remove } from '../selected';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import { nameOf } from '../../../project/headings';
  import { plain } from '../../../lib/words';
  import Press from '../../../lib/Press.svelte';

  const sighting = $derived(project.scene!.sighting!);
  const r = $derived(project.reading);
  const locked = $derived(sighting.locked ?? false);
  type Plain = 'across' | 'away' | 'up';
  const WAYS: [Plain, Plain][] = [
    ['across', 'up'],
    ['up', 'across'],
    ['away', 'up'],
    ['up', 'away'],
    ['across', 'away'],
    ['away', 'across'],
  ];
</script>

<Heading>
  Rectangles <small>{sighting.rectangles?.length}</small>
</Heading>
{#each sighting.rectangles ?? [] as shape, i (shape.id)}
  {@const read = r?.rectangles?.find((x) => x.id === shape.id)}
  <div
    class="mb-1 rounded-md px-1.5 py-1"
    class:bg-field={selection.has('rectangle', shape.id)}
    role="group"
    aria-label="Rectangle {i + 1}"
  >
    <div class="flex items-center gap-1.5">
      <Press
        kind="bare"
        class="flex-1 text-left hover:text-lantern"
        aria-pressed={selection.has('rectangle', shape.id)}
        onclick={() => selection.choose('rectangle', shape.id)}>Rectangle {i + 1}</Press
      >
      <Select
        placeholder=""
        aria-label="Headings of rectangle {i + 1}"
        disabled={locked}
        value={shape.headings.join()}
        onchange={(e) =>
          project.keep({
            verb: 'AlterRectangle',
            rectangle: shape.id,
            headings: e.currentTarget.value.split(',') as [Plain, Plain],
            free: false,
          })}
      >
        {#each WAYS as w (w.join())}
          <option value={w.join()}>{nameOf(w[0])} × {nameOf(w[1])}</option>
        {/each}
      </Select>
      <span
        class="num text-right text-[12px] whitespace-nowrap"
        class:text-warning={read?.disagrees}>{read ? `${plain(read.misfit_px, 1)} px` : '—'}</span
      >
      {#if !locked}<Press
          kind="bare"
          class="px-1 text-quiet hover:text-warning"
          aria-label="Delete rectangle {i + 1}"
          onclick={() => {
            selection.choose('rectangle', shape.id);
            remove();
          }}>✕</Press
        >{/if}
    </div>
    <NumberField
      label={`Proportions, ${nameOf(shape.headings[0])} : ${nameOf(shape.headings[1])}`}
      places={3}
      min={0.002}
      value={shape.aspect}
      disabled={locked}
      onkeep={(aspect) =>
        project.keep({ verb: 'AlterRectangle', rectangle: shape.id, aspect, free: false })}
    />
    <div class="flex justify-between text-[12px] text-quiet">
      <span class="num">{read ? `seen as ${plain(read.aspect, 3)} : 1` : ''}</span>
      {#if !locked}
        <span class="flex gap-2">
          <Press
            kind="bare"
            class="underline hover:text-ink"
            onclick={() =>
              project.keep({ verb: 'AlterRectangle', rectangle: shape.id, aspect: 1, free: false })}
            >Square</Press
          >
          {#if shape.aspect}<Press
              kind="bare"
              class="underline hover:text-ink"
              onclick={() =>
                project.keep({ verb: 'AlterRectangle', rectangle: shape.id, free: true })}
              >Leave open</Press
            >{/if}
        </span>
      {/if}
    </div>
  </div>
{/each}
