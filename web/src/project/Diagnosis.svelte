<script lang="ts">
  /** Where the trick would show at the frame that is looked at, and on which proxies. */
  import Heading from '../lib/Heading.svelte';
  import { api, type FrameDiagnosis } from '../lib/api/client';
  import { playhead } from './playhead.svelte';
  import { project } from './project.svelte';
  import { selection } from './selection.svelte';
  import { MAPS } from './strip.svelte';
  import Press from '../lib/Press.svelte';

  const LEAST = 0.0005; // of the frame: less is not worth a line

  let { bare = false }: { bare?: boolean } = $props(); // without its heading
  let told = $state.raw<FrameDiagnosis | null>(null);
  let why = $state('');
  let asked = '';
  $effect(() => {
    const state = project.state;
    const frame = Math.min(playhead.frame, (project.scene?.move.frames ?? 1) - 1);
    if (!state || playhead.playing || !project.reading?.settled) return;
    const at = `${state.id}.${state.revision}.${frame}`;
    if (at === asked) return;
    asked = at;
    const params = { path: { id: state.id }, query: { revision: state.revision, frame } };
    void api
      .GET('/api/projects/{id}/diagnosis', { params })
      .then(({ data, error }) => {
        if (asked !== at) return; // another frame is looked at by now
        told = data ?? null;
        why = error && 'message' in error ? String(error.message) : '';
      })
      .catch(() => (asked = asked === at ? '' : asked)); // asked again with the next change
  });
  const OF_PROXY = ['spill', 'stretch', 'reveal'] as const;
  const shown = $derived(
    (told?.proxies ?? []).filter((p) => OF_PROXY.some((n) => p[n] > LEAST)).slice(0, 5),
  );
  const share = (v: number) => `${(v * 100).toFixed(v < 0.0995 ? 1 : 0)} %`;
</script>

{#if !bare}
  <Heading>
    Where the trick would show <small>frame {playhead.numbered(told?.frame)}</small>
  </Heading>
{/if}
{#if why}
  <p class="text-quiet">{why}</p>
{:else if told}
  <dl>
    {#each MAPS as [name, label, meaning, tone] (name)}
      <div class="flex items-baseline gap-2 py-0.5">
        <dt class="w-16">
          <span class="mr-1.5 inline-block h-2 w-2" style="background: {tone}"></span>{label}
        </dt>
        <dd class="num w-14 text-right" class:text-warning={told[name] > 0.01}>
          {share(told[name])}
        </dd>
        <dd class="flex-1 truncate text-[12px] text-quiet">{meaning}</dd>
      </div>
    {/each}
  </dl>
  {#if shown.length}
    <ul class="mt-1" aria-label="Worst proxies">
      {#each shown as p (p.id)}
        <li>
          <Press
            kind="bare"
            class={[
              'flex w-full justify-between gap-2 rounded-md px-1.5 py-[2px] text-left text-[12px] hover:bg-hover',
              selection.has('proxy', p.id) && 'text-lantern',
            ]}
            aria-pressed={selection.has('proxy', p.id)}
            onclick={() => selection.toggle('proxy', p.id)}
          >
            <span class="truncate">{p.name}</span>
            <span class="num text-quiet"
              >{OF_PROXY.filter((n) => p[n] > LEAST)
                .map((n) => `${n} ${share(p[n])}`)
                .join(' · ')}</span
            >
          </Press>
        </li>
      {/each}
    </ul>
  {/if}
{:else}
  <p class="text-quiet">Looking …</p>
{/if}
