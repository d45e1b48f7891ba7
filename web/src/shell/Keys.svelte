<script lang="ts">
  /** Every key of the station that is open, and those that work everywhere. */
  import Sheet from '../lib/Sheet.svelte';
  import { windows } from '../project/windows.svelte';
  import type { Station } from '../views/station';

  let { here }: { here: Station } = $props();
  const EVERYWHERE: [string, string][] = [
    ['Ctrl Z', 'undo; with Shift redo'],
    ['0', 'fit the picture'],
    ['V', 'everything for the lens view, and back; with Shift for the walk view'],
    ['Alt 1–6', 'the stations'],
    ['Esc', 'let go of what is held'],
    ['?', 'these keys'],
  ];
</script>

<Sheet title="Keys" bind:open={windows.keys}>
  {#each [[here.title, here.sheet], ['Everywhere', EVERYWHERE]] as const as [title, rows] (title)}
    {#if rows.length}
      <h3 class="mb-1 font-semibold text-quiet">{title}</h3>
      <dl class="mb-3 grid grid-cols-[5.5rem_1fr] gap-y-1">
        {#each rows as [keys, words], i (i)}
          <dt><kbd>{keys}</kbd></dt>
          <dd>{words}</dd>
        {/each}
      </dl>
    {/if}
  {/each}
</Sheet>
