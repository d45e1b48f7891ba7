<script lang="ts">
  /** What can be stood, hung and read off. */
  import { project } from '../../../lib/project.svelte';
  import { selection } from '../../../lib/selection.svelte';
  import { tool } from '../../../lib/tool.svelte';
  import { blockHand } from '../hand.svelte';
  import { STOOD } from '../kinds';

  const proxies = $derived(project.scene!.proxies);
  const chosen = $derived(proxies.find((p) => selection.has('proxy', p.id)));
  const TOOLS = [
    ...STOOD.map(({ kind, label }) => [kind, label, '']),
    ['grow', 'Grow', 'An outline grown from a few clicks on the thing'],
    ['span', 'Span', 'A surface between two lines of picked corners'],
  ];
  function take(name: string) {
    blockHand.cancel();
    tool.choose(name);
  }
</script>

<div class="grid grid-cols-4 gap-1" role="group" aria-label="Stand a proxy">
  {#each TOOLS as [name, label, title] (name)}
    <button class="act tight" aria-pressed={tool.name === name} {title} onclick={() => take(name)}
      >{label}</button
    >
  {/each}
  <button
    class="act tight"
    disabled={!chosen || !('depth_m' in chosen)}
    title="Raise a wall from the far edge of the selected floor, box or room"
    onclick={() => project.keep({ verb: 'RaiseWall', proxy: chosen!.id, edge: 2 })}>Wall</button
  >
</div>
<div class="mt-1 grid grid-cols-3 gap-1">
  <button class="act tight" onclick={() => project.keep({ verb: 'LayGround' })}
    >Lay the ground</button
  >
  <button class="act tight" onclick={() => project.keep({ verb: 'Hang', margin: 0.25 })}
    >Hang a backdrop</button
  >
  <button class="act tight" onclick={() => project.keep({ verb: 'HangDome' })}>Hang a dome</button>
</div>
