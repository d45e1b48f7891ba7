<script lang="ts">
  import Diagnosis from '../../lib/Diagnosis.svelte';
  import Compare from './Compare.svelte';
  import { show } from './show.svelte';
  import Split from './Split.svelte';
  import { project } from '../../lib/project.svelte';
  import { route } from '../../lib/route.svelte';

  const scene = $derived(project.scene!);
  const proxies = $derived((scene.proxies ?? []).filter((p) => !p.hidden));
  const edge = $derived(scene.lantern?.edge ?? 'stop');
</script>

<div class="advice">
  {#if proxies.length}
    <b>The still is thrown onto {proxies.length} {proxies.length === 1 ? 'proxy' : 'proxies'}.</b> At
    the lens nothing may shift: switch Cast on and off and watch. From the side it stretches as it should.
  {:else}
    <b>Nothing to cast on yet.</b> Stand proxies in Block first.
  {/if}
</div>

{#if proxies.length}
  <Diagnosis />
  <Compare />
  <Split />
{/if}

<h2 class="section">Show</h2>
<div class="grid grid-cols-[1fr_1fr_1fr_auto] gap-1.5" role="group" aria-label="What is shown">
  <button
    class="act"
    aria-pressed={show.picture && !show.wire}
    onclick={() => {
      show.picture = true;
      show.wire = false;
    }}>Picture</button
  >
  <button
    class="act"
    aria-pressed={!show.picture && show.wire}
    onclick={() => {
      show.picture = false;
      show.wire = true;
    }}>Wire</button
  >
  <button
    class="act"
    aria-pressed={show.picture && show.wire}
    onclick={() => {
      show.picture = true;
      show.wire = true;
    }}>Both</button
  >
  <button class="act" aria-pressed={show.plate} onclick={() => (show.plate = !show.plate)}
    >Plate beneath</button
  >
</div>
<p class="mt-2 text-[12px] text-quiet">
  Without the plate beneath, grey in the lens view is where nothing stands for the picture to land
  on.
</p>

<h2 class="section">Lantern <small>thrown from the sighted camera</small></h2>
<p class="mb-2 text-quiet">Past the edge of the plate</p>
<div class="grid grid-cols-2 gap-2" role="group" aria-label="Past the edge of the plate">
  <button
    class="act"
    aria-pressed={edge === 'stop'}
    onclick={() => project.keep({ verb: 'SetEdge', edge: 'stop' })}>Stop</button
  >
  <button
    class="act"
    aria-pressed={edge === 'hold'}
    onclick={() => project.keep({ verb: 'SetEdge', edge: 'hold' })}>Hold the edge</button
  >
</div>
<p class="mt-2 text-[12px] text-quiet">
  {edge === 'stop'
    ? 'The picture ends where the plate ends: hatched here, transparent in the frames.'
    : 'The last pixels of the plate go on outwards.'}
</p>

<button
  class="act main onward w-full"
  disabled={!proxies.length}
  onclick={() => route.go(route.project, 'move')}>On to Move</button
>
