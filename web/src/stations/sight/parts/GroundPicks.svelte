<script lang="ts">
  /** Places on the ground, picked in two pictures of the footage that a brought camera took. */
  import { Range } from 'flowbite-svelte';
  import { plateAddress, type Plate } from '../../../lib/api/client';
  import Press from '../../../lib/Press.svelte';
  import Sheet from '../../../lib/Sheet.svelte';
  import NumberField from '../../../project/NumberField.svelte';
  import PickPair from '../../../views/PickPair.svelte';
  import { project } from '../../../project/project.svelte';
  import type { Point } from '../../../views/camera';
  import { FEWEST, MOST } from './ground';

  let {
    plate,
    open = $bindable(),
    pictures = $bindable(),
    marks = $bindable(),
  }: {
    plate: Plate;
    open: boolean;
    pictures: [number, number];
    marks: [Point[], Point[]];
  } = $props();

  const own = $derived(plate.playing?.first ?? 0); // the number that its files begin with
  const last = $derived((plate.playing?.count ?? 1) - 1);
  const pairs = $derived(Math.min(marks[0].length, marks[1].length));
  const labels = ['Picture on the left', 'Picture on the right'];
  const pane = (k: 0 | 1) => ({
    label: labels[k],
    plate,
    address: `${plateAddress(project.state!.id, plate.digest)}@${pictures[k]}/quick`,
  });
  const asks = $derived(
    pairs < FEWEST
      ? `Pick ${FEWEST} to ${MOST} places on the ground, in pictures that were taken far apart: 1 ` +
          'and 2 at the ends of an edge, others far to the side of it.'
      : 'Each one more makes it surer.',
  );
  const take = (k: 0 | 1, picture: number) =>
    (pictures[k] = Math.min(Math.max(Math.round(picture), 0), last));
</script>

<Sheet title="Places on the ground" bind:open size="xl">
  <PickPair panes={[pane(0), pane(1)]} bind:marks {asks}>
    {#snippet above(k)}
      <div class="mb-1 grid h-9 grid-cols-[1fr_10rem] items-center gap-2">
        <Range
          aria-label="Go through the footage on the {k ? 'right' : 'left'}"
          min={0}
          max={last}
          disabled={marks[k].length > 0}
          bind:value={() => pictures[k], (n) => take(k, n)}
        />
        {#if marks[k].length}
          <Press
            title="Takes its places away, so that another picture can be chosen"
            onclick={() => (marks[k] = [])}>Pick anew</Press
          >
        {:else}
          <NumberField
            label="Picture"
            places={0}
            step={1}
            min={own}
            value={own + pictures[k]}
            onkeep={(n) => take(k, n - own)}
          />
        {/if}
      </div>
    {/snippet}
  </PickPair>
  <Press main class="mt-2 w-full" disabled={pairs < FEWEST} onclick={() => (open = false)}
    >{pairs < FEWEST ? 'Take these places' : `Take these ${pairs} places`}</Press
  >
</Sheet>
