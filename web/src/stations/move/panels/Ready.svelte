<script lang="ts">
  /** Ready moves: a kind, its amounts, what it is about, and the move. */
  import Heading from '../../../lib/Heading.svelte';
  import Press from '../../../lib/Press.svelte';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import { tool } from '../../../project/tool.svelte';
  import { READY } from '../ready';
  import { chosen, PICKING } from '../ready/chosen.svelte';

  const move = $derived(chosen.move);
  const keys = $derived(project.keys);
  const picking = $derived(tool.name === PICKING);
  const trying = (name: string, value: number) => {
    chosen.set(name, value);
    project.try(chosen.change);
  };
</script>

<Heading>Ready move</Heading>
<div class="grid grid-cols-4 gap-1" role="group" aria-label="Kind of move">
  {#each READY as one (one.verb)}
    <Press
      tight
      class="px-1 text-[12px]"
      aria-pressed={one.verb === move.verb}
      title={one.says}
      onclick={() => (chosen.verb = one.verb)}>{one.title}</Press
    >
  {/each}
</div>
<div class="mt-1.5 flex items-end gap-2">
  <div class="flex-1">
    {#each move.fields as f (move.verb + f.name)}
      <NumberField
        label={f.label}
        unit={f.unit}
        step={f.step ?? 0.1}
        places={f.places ?? 2}
        min={f.min}
        length={f.length}
        value={chosen.value(f.name)}
        ontry={(v) => trying(f.name, v)}
        onkeep={(v) => {
          chosen.set(f.name, v);
          project.drop();
        }}
      />
    {/each}
  </div>
  <div class="flex w-[124px] flex-col gap-1">
    {#if move.pick}
      <Press
        tight
        aria-pressed={picking}
        title="Pick a place in the shot view that the move is about"
        onclick={() => (chosen.pick ? chosen.forget() : tool.choose(PICKING, true))}
        >{picking ? 'Pick it …' : chosen.pick ? 'Forget the pick' : `Pick ${move.pick.asks}`}</Press
      >
    {/if}
    <Press main={!keys.length} onclick={() => void project.keep(chosen.change)}>Make it</Press>
  </div>
</div>
