<script lang="ts">
  /** What tells whether it fits: leaks, marbles, and things read off. */
  import { project } from '../../../project/project.svelte';
  import Section from '../../../lib/Section.svelte';
  import { selection } from '../../../project/selection.svelte';
  import { tool } from '../../../project/tool.svelte';
  import { blockHand } from '../hand.svelte';
  import { reads } from '../labels';
  import { leaks } from '../leaks.svelte';
  import { marbles } from '../marbles.svelte';
  import { show } from '../show.svelte';
  import Press from '../../../lib/Press.svelte';

  const OVER_PX = 6;
  const MEET_PX = 24;
  const labels = $derived(project.scene!.labels);
  const cracks = $derived(show.leaks ? (leaks.now?.cracks ?? []) : []);
  $effect(() => {
    void project.state?.revision;
    if (show.leaks) void leaks.look();
  });
  async function close(ids: readonly string[]) {
    for (const proxy of new Set(ids))
      if (!(await project.keep({ verb: 'RunOver', proxy, px: OVER_PX }))) return;
  }
  const share = $derived(leaks.now ? `${(100 * leaks.now.share).toFixed(1)} % open` : '');
</script>

<Section title="Leaks" note={show.leaks ? share : ''} open={show.leaks}>
  <Press tight class="w-full" aria-pressed={show.leaks} onclick={() => (show.leaks = !show.leaks)}
    >{leaks.looking ? 'Looking …' : show.leaks ? 'Stop showing leaks' : 'Show leaks'}</Press
  >
  {#if show.leaks && leaks.now && !cracks.length}
    <p class="mt-1 text-[12px] text-quiet">No crack shows from near the lens.</p>
  {/if}
  {#each cracks as crack (crack.between.join())}
    <div class="flex items-center gap-1 py-0.5">
      <Press
        kind="bare"
        class="min-w-0 flex-1 block truncate rounded-md px-1 text-left hover:bg-hover"
        onclick={() => selection.chooseAll('proxy', [...new Set(crack.between)])}
        >{crack.names[0]} | {crack.names[1]}</Press
      >
      <span class="num text-[12px] text-quiet">{crack.px} px</span>
      <Press
        tight
        title="Run the edges of both {OVER_PX} px over"
        onclick={() => void close(crack.between)}>close</Press
      >
      <Press
        tight
        title="Take the free edges of {crack.names[0]} onto {crack.names[1]}, held in the picture"
        disabled={crack.between[0] === crack.between[1]}
        onclick={() =>
          project.keep({
            verb: 'MeetEdges',
            proxy: crack.between[0],
            other: crack.between[1],
            px: MEET_PX,
          })}>meet</Press
      >
    </div>
  {/each}
</Section>
<Section title="Marbles" open={!!marbles.now}>
  <div class="grid grid-cols-2 gap-1">
    <Press tight disabled={marbles.falling} onclick={() => void marbles.fall()}
      >{marbles.falling ? 'Falling …' : 'Let them fall'}</Press
    >
    <Press tight disabled={!marbles.now} onclick={() => marbles.clear()}>Clear them</Press>
  </div>
  <p class="mt-1 text-[12px] text-quiet" role="status">
    {marbles.words ?? 'Where they escape, walls and floor do not meet.'}
  </p>
</Section>
<Section title="Read off" note={labels.length ? String(labels.length) : ''}>
  <div class="grid grid-cols-3 gap-1" role="group" aria-label="Read off">
    {#each [['length', 'Length'], ['angle', 'Angle'], ['area', 'Area']] as [name, label] (name)}
      <Press
        tight
        aria-pressed={tool.name === name}
        onclick={() => {
          blockHand.cancel();
          tool.choose(name);
        }}>{label}</Press
      >
    {/each}
  </div>
  {#each labels as label (label.id)}
    <div class="flex items-center gap-1 py-0.5">
      <Press
        kind="bare"
        class={[
          'flex-1 rounded-md px-1 text-left hover:bg-hover',
          selection.has('label', label.id) && 'text-lantern',
        ]}
        onclick={() => selection.toggle('label', label.id)}
        >{label.what}
        <span class="num">{reads(label.what, project.labels.get(label.id) ?? 0)}</span></Press
      >
      <Press
        tight
        aria-label="Delete the {label.what}"
        onclick={() => project.keep({ verb: 'DeleteLabel', label: label.id })}>delete</Press
      >
    </div>
  {/each}
</Section>
