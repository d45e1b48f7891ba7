<script lang="ts">
  /** Proxies that hide what is behind them and show nothing: frames are clear there. */
  import type { Change } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import Section from '../../lib/Section.svelte';
  import { project } from '../../project/project.svelte';
  import { selection } from '../../project/selection.svelte';

  const scene = $derived(project.scene!);
  const out = $derived(
    scene.proxies.filter((p) => {
      const parts = project.takes.get(p.id)?.parts ?? [];
      return parts.length > 0 && parts.every((part) => !part.lanterns.length);
    }),
  );
  const ids = $derived(selection.all('proxy'));
  const fresh = $derived(ids.filter((id) => !out.some((p) => p.id === id)));
  const rows = (some: string[]) => some.map((proxy) => ({ proxy, face: null, lanterns: [] }));
  const hold = () => project.keep({ verb: 'CastOn', rows: rows(fresh), cleared: [] } as Change);
  const release = (id: string) =>
    project.keep({ verb: 'CastOn', rows: [], cleared: rows([id]) } as Change);
</script>

<Section title="Hold-outs" note={out.length ? `${out.length}` : 'none'} open={out.length > 0}>
  {#each out as proxy (proxy.id)}
    <div class="flex items-center gap-1.5 py-0.5">
      <span class="min-w-0 flex-1 truncate">{proxy.name}</span>
      <Press tight aria-label="{proxy.name} is seen again" onclick={() => release(proxy.id)}
        >Show it</Press
      >
    </div>
  {/each}
  <Press
    tight
    class="mt-1 w-full"
    disabled={!fresh.length}
    title="It hides what is behind it and shows nothing: frames are clear there"
    onclick={hold}
    >{fresh.length ? 'Hold out the selected' : 'Select proxies in the walk view first'}</Press
  >
</Section>
