<script lang="ts">
  /** Footage whose camera is known: which of its frames sees the selected proxy best, and lanterns
   *  held there. */
  import { api, type RankOut } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { selection } from '../../project/selection.svelte';
  import Section from '../../lib/Section.svelte';
  import { show } from './show.svelte';

  const FEW = 5;
  const percent = (share: number) => `${Math.round(100 * share)} %`;
  const scene = $derived(project.scene!);
  const id = $derived(selection.all('proxy').at(-1) ?? null);
  const proxy = $derived(scene.proxies.find((p) => p.id === id));
  let asked = $state('');
  let best = $state.raw<RankOut[]>([]);
  let working = $state(false);
  const now = $derived(`${id} ${project.state?.revision}`);

  async function rank() {
    const { state } = project;
    if (!state || !id) return;
    working = true;
    const of = now;
    const { data, error } = await api
      .GET('/api/projects/{id}/rank', {
        params: { path: { id: state.id }, query: { revision: state.revision, proxy: id } },
      })
      .catch(() => ({ data: undefined, error: undefined }));
    working = false;
    if (data) [best, asked] = [data.slice(0, FEW), of];
    else if (error) project.say((error as { message: string }).message);
  }
  function look(frame: number) {
    show.shot = true;
    playhead.at = frame;
  }
</script>

<Section title="Frames of the footage" note="{scene.passed?.frames.length} with a camera">
  {#if proxy}
    <Press class="w-full" disabled={working} onclick={rank}
      >{working ? 'Looking at them …' : `Which see ${proxy.name} best?`}</Press
    >
    {#if asked === now}
      <ol aria-label="Best frames" class="mt-1.5">
        {#each best as one (one.frame)}
          <li class="flex items-center gap-2 py-0.5 text-[12px]">
            <Press tight onclick={() => look(one.frame)}>{playhead.numbered(one.frame)}</Press>
            <span class="min-w-0 flex-1 truncate text-quiet"
              ><span class="num text-ink">{percent(one.seen)}</span> of it at
              <span class="num text-ink">{Math.round(one.sharp)}</span> px/m{one.by
                ? `, partly behind ${one.by}`
                : ''}</span
            >
            <Press
              tight
              title="A lantern that throws this frame from where it was taken"
              onclick={() =>
                project.keep({
                  verb: 'AddLantern',
                  name: `frame ${playhead.numbered(one.frame)}`,
                  held: one.frame,
                })}>Hold it</Press
            >
          </li>
        {/each}
      </ol>
    {/if}
  {:else}
    <p class="text-quiet">Press a proxy: its best frames are told here.</p>
  {/if}
</Section>
