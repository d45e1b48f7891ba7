<script lang="ts">
  /** What would help at this frame, in order, with what it brings; and how far things may slide because
   *  the sighting is only so certain. */
  import { api, type Helps } from '../../../lib/api/client';
  import Press from '../../../lib/Press.svelte';
  import Section from '../../../lib/Section.svelte';
  import { playhead } from '../../../project/playhead.svelte';
  import { project } from '../../../project/project.svelte';
  import { route } from '../../../project/route.svelte';
  import { selection } from '../../../project/selection.svelte';

  const CALM_MS = 400;
  let told = $state.raw<Helps | null>(null);
  let wanted = $state(false);
  let asked = '';
  const named = (id: string | null) =>
    project.scene!.proxies.find((p) => p.id === id)?.name ?? 'something';
  const lantern = (id: string | null) =>
    project.scene!.lanterns.find((one) => one.id === id)?.name ?? 'its lantern';
  const share = (v: number) => `${(v * 100).toFixed(v < 0.0995 ? 1 : 0)} %`;
  const HEADINGS: Record<string, string> = { across: 'Across', away: 'Away', up: 'Up' };

  $effect(() => {
    const { state } = project;
    const frame = Math.min(playhead.frame, (project.scene?.move.frames ?? 1) - 1);
    if (!wanted || !state || playhead.playing || project.tried || !project.shapes.size) return;
    const at = `${state.id}.${state.revision}.${frame}`;
    if (at === asked) return;
    const soon = setTimeout(() => {
      asked = at;
      const params = { path: { id: state.id }, query: { revision: state.revision, frame } };
      void api
        .GET('/api/projects/{id}/helps', { params })
        .then(({ data }) => {
          if (asked === at) told = (data as Helps | undefined) ?? null;
        })
        .catch(() => (asked = ''));
    }, CALM_MS);
    return () => clearTimeout(soon);
  });

  const worst = $derived(told?.sure.slides[0] ?? null);

  function lines(all: Helps['helps']) {
    return all.map((one) => {
      const proxy = named(one.proxy);
      if (one.kind === 'paint')
        return { one, words: `Paint what is hidden on ${proxy}, in ${lantern(one.lantern)}` };
      if (one.kind === 'extend')
        return { one, words: `Extend ${lantern(one.lantern)} past its edge, for ${proxy}` };
      if (one.kind === 'split')
        return { one, words: `Give ${proxy} a plate without what is before it` };
      if (one.kind === 'widen') return { one, words: `Widen ${proxy}: a hole is beside it` };
      if (one.kind === 'stretch')
        return { one, words: `A larger plate for ${proxy}, or less push` };
      return { one, words: `Trace one more ${HEADINGS[one.heading ?? ''] ?? ''} edge` };
    });
  }
</script>

<Section title="What would help" note="at frame {playhead.numbered()}">
  <div
    {@attach () => {
      wanted = true;
      return () => void (wanted = false);
    }}
  >
    {#if !told}
      <p class="text-quiet">Looking …</p>
    {:else}
      <ol aria-label="What would help">
        {#each lines(told.helps) as { one, words } (words)}
          <li>
            <Press
              kind="bare"
              class="flex w-full justify-between gap-2 rounded-md px-1.5 py-[2px] text-left text-[12px] hover:bg-hover"
              onclick={() => {
                if (one.proxy) selection.choose('proxy', one.proxy);
                if (one.kind === 'trace') route.go(route.project, 'sight');
              }}
            >
              <span>{words}</span>
              <span class="num whitespace-nowrap text-quiet"
                >{one.px
                  ? `${one.px[0].toFixed(1)} → ${one.px[1].toFixed(1)} px`
                  : share(one.share)}</span
              >
            </Press>
          </li>
        {:else}
          <li class="text-[12px] text-quiet">Nothing of this frame needs help.</li>
        {/each}
      </ol>
      <p class="mt-1.5 text-[12px] text-quiet" role="note">
        {#if told.sure.why}
          {told.sure.why}
        {:else if worst && worst.px > 0.05}
          By the sighting’s ±, {named(worst.proxy)} may slide
          <b class={['num', worst.px > 1 ? 'text-warning' : 'text-ink']}>{worst.px.toFixed(1)} px</b
          >
          against {named(worst.against)} by here{#if told.sure.better_px !== null && worst.px > 1}:
            one more {HEADINGS[told.sure.heading ?? '']} edge near {told.sure.near
              ?.map((v) => Math.round(v))
              .join(', ')} would make it {told.sure.better_px.toFixed(1)}{:else}: the sighting is
            good enough for this move{/if}.
        {:else}
          Nothing slides here: the camera is where the picture was taken.
        {/if}
      </p>
    {/if}
  </div>
</Section>
