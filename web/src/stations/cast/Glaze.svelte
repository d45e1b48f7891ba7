<script lang="ts">
  /** Pictures fixed to their proxies, and what is done with those. */
  import { api } from '../../lib/api/client';
  import NumberField from '../../project/NumberField.svelte';
  import { project } from '../../project/project.svelte';
  import Section from '../../lib/Section.svelte';
  import { selection } from '../../project/selection.svelte';
  import { length } from '../../lib/units.svelte';
  import Press from '../../lib/Press.svelte';

  const scene = $derived(project.scene!);
  const fixed = $derived(new Set(scene.glazed.map((one) => one.id)));
  const chosen = $derived(
    selection.all('proxy').filter((id) => scene.proxies.some((p) => p.id === id)),
  );
  const bare = $derived(chosen.filter((id) => !fixed.has(id)));
  const mine = $derived(chosen.filter((id) => fixed.has(id)));
  const named = (ids: string[]) =>
    ids.length === 1 ? scene.proxies.find((p) => p.id === ids[0])!.name : `${ids.length} proxies`;

  let to = $state(50);
  let told = $state.raw<{
    near_m: number;
    far_m: number;
    far_after_m: number;
    otherwise: number;
  } | null>(null);
  let why = $state('');
  const change = $derived({ verb: 'Squash' as const, proxies: mine, to: to / 100 });

  $effect(() => {
    const state = project.state;
    const body = change;
    if (!state || !fixed.size) return;
    const wait = setTimeout(() => {
      void api
        .POST('/api/projects/{id}/squash', {
          params: { path: { id: state.id }, query: { revision: state.revision } },
          body,
        })
        .then(({ data, error }) => {
          if (body !== change) return;
          told = data ?? null;
          why = error && 'message' in error ? String(error.message) : '';
        })
        .catch(() => undefined);
    }, 200);
    return () => clearTimeout(wait);
  });
</script>

<Section title="Glaze" note={fixed.size ? `${fixed.size} glazed` : ''} open={fixed.size > 0}>
  <p class="mb-1 text-[12px] text-quiet">
    A glazed proxy keeps its picture when it is moved, turned or bent. Pins mark its corners.
  </p>
  <div class="grid grid-cols-2 gap-1">
    <Press
      tight
      disabled={!bare.length}
      onclick={() => project.keep({ verb: 'Glaze', proxies: bare })}
      >{bare.length ? `Glaze ${named(bare)}` : mine.length ? 'Glazed' : 'Select a proxy'}</Press
    >
    <Press
      tight
      disabled={!mine.length}
      onclick={() => project.keep({ verb: 'Unglaze', proxies: mine })}>Take its glaze off</Press
    >
  </div>
  {#if fixed.size}
    <ul class="mt-1.5 flex flex-wrap gap-1" aria-label="Glazed">
      {#each scene.proxies.filter((p) => fixed.has(p.id)) as proxy (proxy.id)}
        <li>
          <Press
            kind="bare"
            class="rounded border border-line px-1.5 text-[12px] aria-pressed:border-lantern"
            aria-pressed={selection.has('proxy', proxy.id)}
            onclick={(e) =>
              e.shiftKey || e.ctrlKey || e.metaKey
                ? selection.add('proxy', proxy.id)
                : selection.toggle('proxy', proxy.id)}>{proxy.name}</Press
          >
        </li>
      {/each}
    </ul>
    <div class="mt-1.5 flex items-end gap-1.5">
      <div class="min-w-0 flex-1">
        <NumberField
          label="Depth to keep"
          unit="%"
          places={0}
          step={5}
          min={1}
          value={to}
          ontry={(v) => (to = Math.min(v, 2000))}
          onkeep={(v) => (to = Math.min(v, 2000))}
        />
      </div>
      <Press tight disabled={!told} onclick={() => project.keep(change)}
        >Squash {mine.length ? named(mine) : 'all glazed'}</Press
      >
    </div>
    {#if told}
      <p class="mt-1 text-[12px] text-quiet" role="status">
        From <span class="num">{length(told.near_m)}</span> to
        <span class="num">{length(told.far_m)}</span> before the lens; then to
        <span class="num">{length(told.far_after_m)}</span>.
        {#if told.otherwise > 0}<span class="text-warning"
            >The lens sees another proxy in {(100 * told.otherwise).toFixed(1)} % of the picture.</span
          >{:else}The lens sees the same as before.{/if}
      </p>
    {:else if why}<p class="mt-1 text-[12px] text-warning">{why}</p>{/if}
  {/if}
</Section>
