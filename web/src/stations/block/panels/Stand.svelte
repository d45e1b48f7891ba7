<script lang="ts">
  /** What can be stood, hung and raised: the usual kinds in a row, the others one press behind it;
   *  and while nothing lies or hangs yet, what most places begin with. */
  import { Dropdown, DropdownItem, Kbd } from 'flowbite-svelte';
  import { project } from '../../../project/project.svelte';
  import { tool } from '../../../project/tool.svelte';
  import Press from '../../../lib/Press.svelte';
  import { tip } from '../../../lib/tip';
  import { capital } from '../../../lib/words';
  import { carryOut } from '../../../project/carryout';
  import { STANDING } from '../stand';

  const proxies = $derived(project.scene!.proxies);
  const usual = STANDING.filter((one) => one.usual);
  const others = STANDING.filter((one) => !one.usual);
  const begins = $derived([
    ...(proxies.some((p) => p.kind === 'floor') ? [] : ['Ground']),
    ...(proxies.some((p) => 'distance_m' in p) ? [] : ['Backdrop']),
  ]);
  const held = $derived(others.find((one) => one.tool === tool.name));
  let open = $state(false);
</script>

<div
  class="grid grid-cols-[repeat(auto-fit,minmax(62px,1fr))] gap-1"
  role="group"
  aria-label="Stand a proxy"
>
  {#each usual as { label, words, tool: name, run } (label)}
    <Press tight does={words} aria-pressed={tool.name === name} onclick={run}>{label}</Press>
  {/each}
  <Press tight aria-pressed={!!held} aria-haspopup="dialog" aria-expanded={open}
    >{held?.label ?? 'More'} ▾</Press
  >
  <Dropdown
    bind:isOpen={open}
    placement="bottom-end"
    role="dialog"
    aria-label="More to stand"
    simple
  >
    {#each others as one (one.label)}
      <DropdownItem
        {...tip(one.needs?.(), one.words)}
        onclick={() => {
          open = false;
          carryOut(one);
        }}
        >{one.label}
        {#if one.key}<Kbd>{one.key}</Kbd>{/if}</DropdownItem
      >
    {/each}
  </Dropdown>
</div>
{#if begins.length}
  <div class="mt-1 grid auto-cols-fr grid-flow-col gap-1">
    {#each STANDING.filter((one) => begins.includes(one.label)) as { label, words, run } (label)}
      <Press tight onclick={run}>{capital(words)}</Press>
    {/each}
  </div>
{/if}
