<script lang="ts">
  /** Stand, then refine what is selected, then check. */
  import Foot from '../../lib/Foot.svelte';
  import Advice from '../../lib/Advice.svelte';
  import { Kbd } from 'flowbite-svelte';
  import { Checkbox, Range, Select } from 'flowbite-svelte';
  import { untrack } from 'svelte';
  import { project } from '../../project/project.svelte';
  import { route } from '../../project/route.svelte';
  import { selection } from '../../project/selection.svelte';
  import { tool } from '../../project/tool.svelte';
  import { blockHand } from './hand.svelte';
  import { parts } from './parts.svelte';
  import Checks from './panels/Checks.svelte';
  import InAndOut from './panels/InAndOut.svelte';
  import List from './panels/List.svelte';
  import OnePart from './panels/OnePart.svelte';
  import Several from './panels/Several.svelte';
  import Stand from './panels/Stand.svelte';
  import Whole from './panels/Whole.svelte';
  import { ALONG } from './pull';
  import { show } from './show.svelte';
  import Press from '../../lib/Press.svelte';

  const proxies = $derived(project.scene!.proxies);
  const chosen = $derived(
    selection.all('proxy').flatMap((id) => proxies.find((p) => p.id === id) ?? []),
  );
  $effect(() => {
    void project.state?.revision;
    untrack(() => void parts.follow());
  });
  const settled = $derived(project.reading?.settled ?? false);
</script>

{#if !settled}
  <Advice>
    <b>Not yet.</b> Proxies stand where the picture says, and that needs a camera with zero and
    size.
    {project.reading?.next_step}
  </Advice>
  <Press main class="mt-3 w-full" onclick={() => route.go(route.project, 'sight')}
    >Back to Sight</Press
  >
{:else}
  <Stand />

  <Advice class="mt-2">
    {#if blockHand.asks}
      {blockHand.asks}
      {#if blockHand.picking?.closes}<b>{blockHand.curving ? 'On a curve.' : ''}</b>
        <span class="text-quiet"><Kbd>C</Kbd> {blockHand.curving ? 'corners' : 'curves'}.</span
        >{/if}
      <span class="text-quiet"><Kbd>Esc</Kbd> lets go.</span>
      {#if tool.name === 'outline'}
        <label class="mt-1 flex items-center gap-1.5"
          ><Checkbox bind:checked={show.onEdges} /> pulled onto the picture’s edges</label
        >
      {/if}
    {:else if !proxies.length}
      <b>Start with the ground</b> and a backdrop; then stand a card or a box on everything that comes
      near the camera.
    {:else if show.parts}
      Drag a face, an edge or a corner in either view. <Kbd>P</Kbd> takes whole proxies again.
    {:else if chosen.length}
      Drag it over its floor, or take a handle. <Kbd>P</Kbd> takes its faces, edges and corners.
    {:else}
      Select a proxy in either view, or stand another. Its foot on the ground sets its distance.
    {/if}
  </Advice>

  <div class="mt-2 flex items-center gap-1" role="group" aria-label="What is taken hold of">
    <span class="mr-auto text-quiet">Take</span>
    {#each [[false, 'Whole proxies'], [true, 'Parts']] as const as [of, label] (label)}
      <Press
        tight
        aria-pressed={show.parts === of}
        onclick={() => {
          show.parts = of;
          tool.putDown();
        }}>{label}</Press
      >
    {/each}
  </div>
  {#if show.parts}
    <div class="mt-1 flex flex-wrap items-center gap-x-3 gap-y-1">
      <label class="flex items-center gap-1.5"
        ><span class="text-quiet">along</span>
        <Select placeholder="" aria-label="Pull along" bind:value={show.along}>
          {#each ALONG as [name, label] (name)}<option value={name}>{label}</option>{/each}
        </Select></label
      >
      <label class="flex items-center gap-1.5"
        ><Checkbox bind:checked={show.rest} /> comes to rest</label
      >
      <label class="flex items-center gap-1.5"
        ><Checkbox bind:checked={show.weld} disabled={!show.rest} /> welds</label
      >
    </div>
  {/if}

  {#if chosen.length > 1}
    <Several {chosen} />
  {:else if parts.now}
    <OnePart at={parts.now} />
  {:else if chosen.length}
    <Whole chosen={chosen[0]} />
  {/if}
  <List />
  <Checks />
  <InAndOut />
  <div class="mt-3 flex items-center justify-between gap-3">
    <label class="flex flex-1 items-center gap-2"
      ><span class="text-quiet whitespace-nowrap">See through</span>
      <Range
        class="min-w-0 flex-1"
        min="0"
        max="0.9"
        step="0.05"
        bind:value={show.through}
      /></label
    >
    <label class="flex items-center gap-1.5"
      ><Checkbox bind:checked={show.backs} /> back faces</label
    >
  </div>

  <Foot
    ><Press
      class="w-full"
      disabled={!proxies.length}
      onclick={() => route.go(route.project, 'cast')}
      main={proxies.length > 0 && !chosen.length}>On to Cast</Press
    ></Foot
  >
{/if}
