<script lang="ts">
  /** The same places, picked in the still and in another photograph of it, by which that is placed. */
  import { plateAddress, type Lantern } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import Sheet from '../../lib/Sheet.svelte';
  import { project } from '../../project/project.svelte';
  import type { Point } from '../../views/camera';
  import PickPane from './PickPane.svelte';

  let {
    lantern,
    open = $bindable(),
    placed,
  }: { lantern: Lantern; open: boolean; placed: () => void } = $props();

  const FEWEST = 3;
  const MOST = 12;
  const still = $derived(project.scene!.plate);
  const plate = $derived(lantern.plate!);
  const address = (digest: string) => `${plateAddress(project.state!.id, digest)}/quick`;
  let ours = $state.raw<Point[]>([]);
  let theirs = $state.raw<Point[]>([]);
  let working = $state(false);
  let trouble = $state('');
  const pairs = $derived(Math.min(ours.length, theirs.length, MOST));
  const asks = $derived(
    ours.length > theirs.length
      ? `Now place ${theirs.length + 1} in the photograph.`
      : theirs.length > ours.length
        ? `Now place ${ours.length + 1} in the still.`
        : pairs < FEWEST
          ? `Pick ${FEWEST} to 6 places that both show, some near and some far: corners are met best.`
          : 'Each one more makes it surer.',
  );

  function remove(number: number) {
    [ours, theirs] = [ours, theirs].map((list) => list.filter((_, i) => i !== number));
  }
  async function find() {
    working = true;
    trouble = '';
    const picks = ours.slice(0, pairs).map((p, i) => [[...p], [...theirs[i]]]);
    const before = project.notice;
    const kept = await project.keep({
      verb: 'PlacePhotograph',
      lantern: lantern.id,
      picks: picks as [[number, number], [number, number]][],
    });
    working = false;
    if (kept) {
      open = false;
      [ours, theirs] = [[], []];
      placed();
    } else if (project.notice !== before) trouble = project.notice?.text ?? '';
  }
</script>

<Sheet title="The same places in both" bind:open size="xl">
  <div class="grid grid-cols-2 gap-3">
    <PickPane
      label="The still"
      plate={still}
      address={address(still.digest)}
      bind:marks={ours}
      {remove}
    />
    <PickPane
      label="The photograph"
      {plate}
      address={address(plate.digest)}
      bind:marks={theirs}
      {remove}
    />
  </div>
  <p class="mt-2 text-[12px] text-lantern" role="status">{working ? 'Placing it …' : asks}</p>
  <p class="text-[12px] text-quiet">
    Drag a place to move it; the arrows move the one that has the focus by a pixel, Delete takes it
    away in both.
  </p>
  {#if trouble}<p class="mt-1 text-warning" role="alert">{trouble}</p>{/if}
  <Press main class="mt-2 w-full" disabled={working || pairs < FEWEST} onclick={find}
    >Place it by {pairs} {pairs === 1 ? 'place' : 'places'}</Press
  >
</Sheet>
