<script lang="ts">
  /** The same places, picked in the still and in another photograph of it, by which that is placed. */
  import { plateAddress, type Lantern } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import Sheet from '../../lib/Sheet.svelte';
  import { project } from '../../project/project.svelte';
  import type { Point } from '../../views/camera';
  import PickPair from '../../views/PickPair.svelte';

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
  let marks = $state<[Point[], Point[]]>([[], []]);
  let working = $state(false);
  let trouble = $state('');
  const pairs = $derived(Math.min(marks[0].length, marks[1].length, MOST));
  const asks = $derived(
    pairs < FEWEST
      ? `Pick ${FEWEST} to 6 places that both show, some near and some far: corners are met best.`
      : 'Each one more makes it surer.',
  );

  async function find() {
    working = true;
    trouble = '';
    const picks = marks[0].slice(0, pairs).map((p, i) => [[...p], [...marks[1][i]]]);
    const before = project.notice;
    const kept = await project.keep({
      verb: 'PlacePhotograph',
      lantern: lantern.id,
      picks: picks as [[number, number], [number, number]][],
    });
    working = false;
    if (kept) {
      open = false;
      marks = [[], []];
      placed();
    } else if (project.notice !== before) trouble = project.notice?.text ?? '';
  }
</script>

<Sheet title="The same places in both" bind:open size="xl">
  <PickPair
    panes={[
      { label: 'The still', plate: still, address: address(still.digest) },
      { label: 'The photograph', plate, address: address(plate.digest) },
    ]}
    bind:marks
    asks={working ? 'Placing it …' : asks}
    {trouble}
  />
  <Press main class="mt-2 w-full" disabled={working || pairs < FEWEST} onclick={find}
    >Place it by {pairs} {pairs === 1 ? 'place' : 'places'}</Press
  >
</Sheet>
