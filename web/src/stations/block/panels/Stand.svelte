<script lang="ts">
  /** What can be stood, hung and read off. */
  import type { Change } from '../../../lib/api/client';
  import { project } from '../../../project/project.svelte';
  import { selection } from '../../../project/selection.svelte';
  import { tool } from '../../../project/tool.svelte';
  import { blockHand } from '../hand.svelte';
  import { STOOD } from '../kinds';
  import Press from '../../../lib/Press.svelte';

  const proxies = $derived(project.scene!.proxies);
  const chosen = $derived(proxies.find((p) => selection.has('proxy', p.id)));
  const TOOLS = [
    ...STOOD.map(({ kind, label }) => [kind, label, '']),
    ['grow', 'Grow', 'An outline grown from a few clicks on the thing'],
    ['span', 'Span', 'A surface between two lines of picked corners'],
  ];
  const HUNG: { label: string; name: string; change: Change }[] = [
    { label: 'Ground', name: 'Lay the ground', change: { verb: 'LayGround' } },
    { label: 'Backdrop', name: 'Hang a backdrop', change: { verb: 'Hang', margin: 0.25 } },
    { label: 'Dome', name: 'Hang a dome', change: { verb: 'HangDome' } },
  ];
  function take(name: string) {
    blockHand.cancel();
    tool.choose(name);
  }
</script>

<div class="grid grid-cols-5 gap-1" role="group" aria-label="Stand a proxy">
  {#each TOOLS as [name, label, title] (name)}
    <Press tight aria-pressed={tool.name === name} {title} onclick={() => take(name)}>{label}</Press
    >
  {/each}
  <Press
    tight
    disabled={!chosen || !('depth_m' in chosen)}
    title="Raise a wall from the far edge of the selected floor, box or room"
    onclick={() => project.keep({ verb: 'RaiseWall', proxy: chosen!.id, edge: 2 })}>Wall</Press
  >
  {#each HUNG as { label, name, change } (name)}
    <Press tight aria-label={name} title={name} onclick={() => project.keep(change)}>{label}</Press>
  {/each}
</div>
