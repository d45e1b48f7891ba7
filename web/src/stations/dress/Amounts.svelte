<script lang="ts">
  /** How much of a light or of the haze proxies take that do not take all of it. */
  import Press from '../../lib/Press.svelte';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import { selection } from '../../project/selection.svelte';

  type Amount = { proxy: string; share: number };
  let { amounts, set }: { amounts: readonly Amount[]; set: (amounts: Amount[]) => void } = $props();

  const proxies = $derived(project.scene!.proxies);
  const chosen = $derived(
    selection.all('proxy').flatMap((id) => proxies.find((p) => p.id === id) ?? []),
  );
  const fresh = $derived(chosen.filter((p) => !amounts.some((a) => a.proxy === p.id)));
  const put = (proxy: string, share: number) =>
    set([...amounts.filter((a) => a.proxy !== proxy), { proxy, share }]);
</script>

<div role="group" aria-label="How much proxies take">
  {#each amounts as { proxy, share } (proxy)}
    <div class="flex items-center gap-1.5">
      <div class="min-w-0 flex-1">
        <NumberField
          label={proxies.find((p) => p.id === proxy)?.name ?? proxy}
          unit="%"
          places={0}
          step={5}
          min={0}
          value={100 * share}
          onkeep={(v) => put(proxy, Math.min(Math.max(v, 0), 400) / 100)}
        />
      </div>
      <Press
        tight
        aria-label="All for {proxies.find((p) => p.id === proxy)?.name}"
        onclick={() => set(amounts.filter((a) => a.proxy !== proxy))}>All</Press
      >
    </div>
  {/each}
  {#each fresh as proxy (proxy.id)}
    <div class="mt-1 grid grid-cols-2 gap-1">
      <Press tight class="truncate" onclick={() => put(proxy.id, 0)}>None on {proxy.name}</Press>
      <Press tight class="truncate" onclick={() => put(proxy.id, 0.5)}>Half on {proxy.name}</Press>
    </div>
  {/each}
  {#if !amounts.length && !fresh.length}
    <p class="text-[12px] text-quiet">
      All proxies take all of it. Select one in the walk view to give it less.
    </p>
  {/if}
</div>
