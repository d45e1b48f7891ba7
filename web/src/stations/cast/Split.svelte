<script lang="ts">
  /** The fewest plates by which no proxy gets a nearer one's picture. */
  import { api, type Split } from '../../lib/api/client';
  import { project } from '../../lib/project.svelte';
  import Section from '../../lib/Section.svelte';
  import { selection } from '../../lib/selection.svelte';

  let told = $state.raw<Split | null>(null);
  let why = $state('');
  let busy = $state(false);
  let of = $state(-1);

  async function propose() {
    const state = project.state;
    if (!state) return;
    busy = true;
    const { data, error } = await api
      .GET('/api/projects/{id}/split', {
        params: { path: { id: state.id }, query: { revision: state.revision } },
      })
      .catch(() => ({ data: undefined, error: { message: 'The server cannot be reached.' } }));
    busy = false;
    told = (data as Split | undefined) ?? null;
    why = error?.message ?? '';
    of = state.revision;
  }
  const name = (id: string) => project.scene?.proxies.find((p) => p.id === id)?.name ?? id;
  const names = (ids: string[]) => ids.map(name).join(', ');
</script>

<Section title="Proposed split" note={told ? `${told.plates.length} plates` : ''}>
  <button class="act tight w-full" disabled={busy} onclick={() => void propose()}
    >{busy ? 'Looking …' : told ? 'Propose anew' : 'Propose the fewest plates'}</button
  >
  {#if why}<p class="mt-1 text-warning">{why}</p>{/if}
  {#if told && of !== project.state?.revision}
    <p class="mt-1 text-[12px] text-quiet">The scene has changed since.</p>
  {/if}
  {#each told?.plates ?? [] as plate, i (i)}
    <button
      class="mt-1 block w-full rounded-md px-1.5 py-1 text-left hover:bg-hover"
      title="Select what is cast from it"
      onclick={() => selection.chooseAll('proxy', plate.proxies)}
    >
      <b>{i === 0 ? 'The still as it is' : `Clean plate ${i}`}</b>
      <span class="text-quiet">for</span>
      {names(plate.proxies)}
      {#if plate.removed.length}
        <span class="block text-[12px] text-quiet">paint out: {names(plate.removed)}</span>
      {/if}
    </button>
  {/each}
  {#each told?.crossing ?? [] as [a, b] (a + b)}
    <p class="mt-1 text-[12px] text-warning">
      {name(a)} and {name(b)} are each before the other somewhere: cut one of them.
    </p>
  {/each}
</Section>
