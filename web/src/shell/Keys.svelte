<script lang="ts">
  /** Every key of the station that is open, and those that work everywhere. */
  import { Kbd } from 'flowbite-svelte';
  import Press from '../lib/Press.svelte';
  import Sheet from '../lib/Sheet.svelte';
  import { windows } from '../project/windows.svelte';
  import type { Station, Verb } from '../views/station';
  import { everywhere } from './verbs';

  let { stations, here }: { stations: Station[]; here: Station } = $props();
  const told = (verbs: Verb[]) => verbs.filter((verb) => verb.key && verb.words);
  const groups = $derived([
    [here.title, told(here.verbs())],
    ['Everywhere', told(everywhere(stations))],
  ] as const);
</script>

<Sheet title="Keys" bind:open={windows.keys}>
  {#each groups as [title, verbs] (title)}
    {#if verbs.length}
      <h3 class="mb-1 font-semibold text-quiet">{title}</h3>
      <dl class="mb-3 grid grid-cols-[6.5rem_1fr] gap-y-1">
        {#each verbs as { key, words }, i (i)}
          <dt><Kbd>{key}</Kbd></dt>
          <dd>{words}</dd>
        {/each}
      </dl>
    {/if}
  {/each}
  <Press
    class="w-full"
    onclick={() => {
      windows.keys = false;
      windows.steps = true;
    }}>The first steps again</Press
  >
</Sheet>
