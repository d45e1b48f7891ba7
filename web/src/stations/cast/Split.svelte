<script lang="ts">
  /** The fewest plates by which no proxy gets a nearer one's picture, and the way to take them. */
  import { api, type Split } from '../../lib/api/client';
  import { project } from '../../project/project.svelte';
  import { selection } from '../../project/selection.svelte';
  import Press from '../../lib/Press.svelte';

  let told = $state.raw<Split | null>(null);
  let why = $state('');
  let listed = $state(false);
  let asked = '';

  const scene = $derived(project.scene!);
  /** What a split follows from: it is asked for again when that is another. */
  $effect(() => {
    const state = project.state;
    if (!state || !project.reading?.settled) return;
    const of = `${state.id}/${state.revision}`;
    if (of === asked) return;
    asked = of;
    const params = { path: { id: state.id }, query: { revision: state.revision } };
    void api
      .GET('/api/projects/{id}/split', { params })
      .then(({ data, error }) => {
        if (asked !== of) return;
        told = (data as Split | undefined) ?? null;
        why = error && 'message' in error ? String(error.message) : '';
      })
      .catch(() => (asked = asked === of ? '' : asked));
  });
  const count = $derived(told?.plates.length ?? 0);
  /** Whether the sheet is as the split says: no two of different plates share a lantern. */
  const taken = $derived.by(() => {
    if (!told) return false;
    const by: Record<string, number> = {};
    for (const [n, plate] of told.plates.entries())
      for (const id of plate.proxies) {
        const own = project.takes.get(id)?.lanterns ?? [];
        if (!own.length) return false;
        for (const l of own) if ((by[l] ?? n) !== n) return false;
        for (const l of own) by[l] = n;
      }
    return true;
  });
  const name = (id: string) => scene.proxies.find((p) => p.id === id)?.name ?? id;
  const names = (ids: string[]) => ids.map(name).join(', ');
</script>

{#if why}
  <p class="mt-1 text-warning">{why}</p>
{:else if told}
  <div class="mt-2 rounded-md border border-jade/50 p-2.5" role="group" aria-label="Proposed split">
    <div class="flex items-center gap-2">
      <p class="flex-1">
        {#if taken}
          <b>{count === 1 ? 'One plate does' : `Split into ${count} plates`}.</b>
          <span class="text-quiet">No proxy gets a nearer one’s picture.</span>
        {:else}
          <b>{count === 1 ? 'One plate is enough.' : `${count} plates are enough.`}</b>
          <span class="text-quiet">No proxy is spilled on then.</span>
        {/if}
      </p>
      {#if !taken}
        <Press main onclick={() => project.keep({ verb: 'TakeSplit' })}>Take the split</Press>
      {/if}
    </div>
    <Press
      kind="bare"
      class="mt-1 text-[12px] text-quiet underline"
      aria-expanded={listed}
      onclick={() => (listed = !listed)}>{listed ? 'Hide' : 'Show'} which plate is for what</Press
    >
    {#if listed}
      {#each told.plates as plate, i (i)}
        <Press
          kind="bare"
          class="mt-1 block w-full rounded-md px-1 py-0.5 text-left text-[12px] hover:bg-hover"
          title="Select what is cast from it"
          onclick={() => selection.chooseAll('proxy', plate.proxies)}
        >
          <b>{i === 0 ? 'The still as it is' : `Clean plate ${i}`}</b>
          <span class="text-quiet">for</span>
          {names(plate.proxies)}
          {#if plate.removed.length}
            <span class="block text-quiet">paint out: {names(plate.removed)}</span>
          {/if}
        </Press>
      {/each}
    {/if}
    {#each told.inside as [lantern, proxy] (lantern + proxy)}
      <p class="mt-1 text-[12px] text-warning">
        {scene.lanterns.find((l) => l.id === lantern)?.name} stands inside {name(proxy)} and sees only
        its inside: move one of them.
      </p>
    {/each}
    {#each told.crossing ?? [] as [a, b] (a + b)}
      <p class="mt-1 text-[12px] text-warning">
        {name(a)} and {name(b)} are each before the other somewhere: cut one of them.
      </p>
    {/each}
  </div>
{/if}
