<script lang="ts">
  /** Footage whose camera is known: which of its frames see the selected proxy, or what is drawn
   *  round, best, side by side; and lanterns held there. */
  import { api, plateAddress, type RankOut } from '../../lib/api/client';
  import Press from '../../lib/Press.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { selection } from '../../project/selection.svelte';
  import Section from '../../lib/Section.svelte';
  import { ringed } from './ringed.svelte';
  import { show } from './show.svelte';

  const FEW = 4;
  const ROUND = 0.15; // of what is seen, that is shown round it
  const WIDE = 4 / 3;
  const percent = (share: number) => `${Math.round(100 * share)} %`;
  const scene = $derived(project.scene!);
  const id = $derived(selection.all('proxy').at(-1) ?? null);
  const proxy = $derived(scene.proxies.find((p) => p.id === id));
  const ring = $derived(ringed.closed ? ringed.outline : null);
  let asked = $state.raw<unknown>(null);
  let best = $state.raw<RankOut[]>([]);
  let working = $state(false);
  const now = $derived(JSON.stringify([ring ?? id, project.state?.revision]));

  async function rank() {
    const { state } = project;
    if (!state || (!id && !ring)) return;
    working = true;
    const of = now;
    const { data, error } = await api
      .POST('/api/projects/{id}/rank', {
        params: { path: { id: state.id }, query: { revision: state.revision } },
        body: ring ? { ring, few: FEW } : { proxy: id, few: FEW },
      })
      .catch(() => ({ data: undefined, error: undefined }));
    working = false;
    if (data) [best, asked] = [data as RankOut[], of];
    else project.say((error as { message?: string })?.message ?? 'The server cannot be reached.');
  }
  $effect(() => {
    if (ring) void rank();
  });
  function look(frame: number) {
    show.shot = true;
    playhead.at = frame;
  }
  const hold = (one: RankOut) =>
    project.keep({
      verb: 'AddLantern',
      name: `frame ${playhead.numbered(one.frame)}`,
      held: one.frame,
    });

  /** Where a picture lies so that what is seen in it fills a frame of WIDE by 1. */
  function cut({ box }: RankOut): string {
    const [left, top, right, bottom] = box as [number, number, number, number];
    const aspect = scene.plate.width / scene.plate.height;
    const high = Math.max(bottom - top, ((right - left) * aspect) / WIDE, 0.02) * (1 + 2 * ROUND);
    const tall = Math.min(high, 1);
    const wide = Math.min((tall * WIDE) / aspect, 1);
    const at = (middle: number, size: number) =>
      Math.min(Math.max(middle - size / 2, 0), 1 - size) / size;
    const [x, y] = [at((left + right) / 2, wide), at((top + bottom) / 2, tall)];
    return `width: ${100 / wide}%; height: ${100 / tall}%; left: ${-100 * x}%; top: ${-100 * y}%`;
  }
  const address = ({ picture }: RankOut) =>
    `${plateAddress(project.state!.id, scene.plate.digest)}${picture ? `@${picture}` : ''}/quick`;
</script>

<Section title="Frames of the footage" note="{scene.passed?.frames.length} with a camera">
  <div class="grid grid-cols-2 gap-1.5">
    <Press class="truncate" disabled={working || !proxy} onclick={rank}
      >{proxy ? `Best for ${proxy.name}` : 'Best for a proxy'}</Press
    >
    <Press
      aria-pressed={ringed.drawing}
      title="Draw round it in the lens view"
      onclick={() => {
        show.shot = false;
        ringed.begin();
      }}>Best for a part…</Press
    >
  </div>
  {#if working}
    <p class="mt-1 text-[12px] text-lantern" role="status">Looking at them …</p>
  {:else if ringed.drawing}
    <p class="mt-1 text-[12px] text-lantern" role="status">Draw round what they are to show.</p>
  {/if}
  {#if asked === now && best.length}
    <ol aria-label="Best frames" class="mt-1.5 grid grid-cols-2 gap-1.5">
      {#each best as one (one.frame)}
        <li class="rounded-md border border-line p-1 text-[12px]">
          <Press
            kind="bare"
            class="relative block aspect-[4/3] w-full overflow-hidden rounded-sm bg-surround"
            aria-label="Look at frame {playhead.numbered(one.frame)}"
            onclick={() => look(one.frame)}
            ><img class="absolute max-w-none" style={cut(one)} src={address(one)} alt="" /></Press
          >
          <p class="mt-1 flex items-center justify-between gap-1">
            <b class="num">{playhead.numbered(one.frame)}</b>
            <Press
              tight
              title="A lantern that throws this frame from where it was taken"
              onclick={() => hold(one)}>Hold it</Press
            >
          </p>
          <p class="text-quiet">
            <span class="num text-ink">{percent(one.seen)}</span> at
            <span class="num text-ink">{Math.round(one.sharp)}</span> px/m
          </p>
          {#if one.hidden > 0.005}
            <p class="truncate text-quiet" title="{percent(one.hidden)} behind {one.by}">
              <span class="num">{percent(one.hidden)}</span> behind {one.by ?? 'itself'}
            </p>
          {/if}
        </li>
      {/each}
    </ol>
  {:else if !proxy && !ringed.drawing && !working}
    <p class="mt-1 text-quiet">Press a proxy, or draw round a part of the picture.</p>
  {/if}
</Section>
