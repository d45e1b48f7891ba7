<script lang="ts">
  /** Several proxies: what is done with all of them, and with two. */
  import Heading from '../../../lib/Heading.svelte';
  import type { Proxy } from '../../../lib/api/client';
  import NumberField from '../../../project/NumberField.svelte';
  import { project } from '../../../project/project.svelte';
  import { selection } from '../../../project/selection.svelte';
  import { alterAll, duplicate, remove, sameKind } from '../selected';
  import Press from '../../../lib/Press.svelte';
  import Words from '../../../lib/Words.svelte';

  let { chosen }: { chosen: Proxy[] } = $props();
  const [first, second] = $derived(chosen);
  const two = $derived(chosen.length === 2);
  let well = $state(0);
</script>

<Heading>{chosen.length} proxies <small>selected</small></Heading>
<div class="flex items-center justify-between gap-2 py-0.5">
  <label for="group-name" class="text-quiet">Group</label>
  <Words
    class="w-[152px]!"
    id="group-name"
    value={first.group ?? ''}
    onkeep={(words) => void alterAll({ group: words || null })}
  />
</div>
{#if two}
  <p class="text-[12px] text-quiet">With {first.name} and {second.name}:</p>
  <div class="grid grid-cols-2 gap-1">
    <Press
      tight
      title="Where {second.name} passes through {first.name}"
      onclick={() =>
        project.keep({
          verb: 'OpenHole',
          proxy: first.id,
          shape: second.id,
          well_m: well,
          keep: false,
        })}>Open a hole in the first</Press
    >
    <Press
      tight
      onclick={() =>
        project.keep({
          verb: 'StretchSpan',
          between: [first.id, second.id],
          capped: true,
        })}>Span between them</Press
    >
    <Press tight onclick={() => project.keep({ verb: 'AlignTo', proxy: first.id, to: second.id })}
      >Turn the first alike</Press
    >
    <Press
      tight
      onclick={() =>
        project.keep({ verb: 'Reach', proxy: first.id, onto: second.id, catch: false })}
      >Reach the first onto it</Press
    >
  </div>
  <NumberField
    label="A well below the hole"
    unit="m"
    min={0}
    length
    value={well}
    onkeep={(v) => (well = v)}
  />
{/if}
<div class="mt-1 grid grid-cols-3 gap-1">
  <Press tight onclick={() => void alterAll({ hidden: !first.hidden })}
    >{first.hidden ? 'Show' : 'Hide'}</Press
  >
  <Press tight onclick={() => void alterAll({ locked: !first.locked })}
    >{first.locked ? 'Unlock' : 'Lock'}</Press
  >
  <Press tight onclick={sameKind}>Same kind</Press>
  <Press tight onclick={duplicate}>Duplicate</Press>
  <Press tight onclick={remove}>Delete</Press>
  <Press tight onclick={() => selection.clear()}>Let go</Press>
</div>
