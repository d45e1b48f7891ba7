<script lang="ts">
  import Advice from '../../lib/Advice.svelte';
  import Heading from '../../lib/Heading.svelte';
  import { api, type DeliveryOut } from '../../lib/api/client';
  import NumberField from '../../project/NumberField.svelte';
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { bytes } from '../../lib/words';
  import Progress from '../../lib/Progress.svelte';
  import Press from '../../lib/Press.svelte';

  const scene = $derived(project.scene!);
  const id = $derived(project.state!.id);
  const stood = $derived((scene.proxies ?? []).some((p) => !p.hidden));
  let kind = $state<'movie' | 'frames' | 'drawings'>('movie');
  let chosenWidth = $state<number | null>(null);
  let range = $state.raw<[number, number] | null>(null);
  /** The shot's own size: that of its delivery frame, or the plate's. */
  const own = $derived(scene.move.frame ?? scene.plate);
  const width = $derived(chosenWidth ?? own.width);
  const height = $derived(Math.round((width * own.height) / own.width));
  const end = $derived((scene.move?.frames ?? 1) - 1);
  const first = $derived(range?.[0] ?? 0);
  const last = $derived(Math.min(range?.[1] ?? end, end));
  const awaited = $derived(scene.plate.awaited);
  const shifted = $derived.by(() => {
    const c = project.reading?.camera;
    return !!c && (Math.abs(c.cx - c.width / 2) > 0.01 || Math.abs(c.cy - c.height / 2) > 0.01);
  });
  let list = $state.raw<DeliveryOut[]>([]);
  let trouble = $state('');
  const busy = $derived(list.some((d) => d.state === 'waiting' || d.state === 'rendering'));

  async function look() {
    const { data } = await api
      .GET('/api/projects/{id}/deliveries', { params: { path: { id } } })
      .catch(() => ({ data: undefined }));
    if (data) list = data;
  }
  $effect(() => {
    void id;
    void look();
  });
  $effect(() => {
    const t = setInterval(() => void look(), busy ? 400 : 4000);
    return () => clearInterval(t);
  });

  async function deliver(what: DeliveryOut['kind']) {
    trouble = '';
    const frames = { width: Math.round(width), first: Math.round(first), last: Math.round(last) };
    const { data, error } = await api.POST('/api/projects/{id}/deliveries', {
      params: { path: { id } },
      body: SCENES.includes(what) ? { kind: what } : { kind: what, ...frames },
    });
    if (data) await look();
    else trouble = error?.message ?? 'That did not work; nothing was rendered.';
  }
  const cancel = (d: DeliveryOut) =>
    api.POST('/api/deliveries/{id}/cancel', { params: { path: { id: d.id } } }).then(look);
  const remove = (d: DeliveryOut) =>
    api.DELETE('/api/deliveries/{id}', { params: { path: { id: d.id } } }).then(look);
  const SIZES = $derived([
    [scene.move.frame ? 'Whole' : 'Plate', own.width],
    ['Half', Math.round(own.width / 2)],
    ['Quarter', Math.round(own.width / 4)],
  ] as const);
  const SCENES: DeliveryOut['kind'][] = ['glb', 'usd', 'kit', 'gathered'];
  const KINDS: Record<DeliveryOut['kind'], string> = {
    movie: 'Movie',
    frames: 'Frames',
    glb: 'GLB',
    usd: 'USDZ',
    kit: 'Paint kit',
    gathered: 'Gathered layers',
    drawings: 'Blocking',
  };
  const WORDS: Record<DeliveryOut['state'], string> = {
    waiting: 'waits its turn',
    rendering: 'rendering',
    done: 'kept',
    cancelled: 'cancelled',
    failed: 'stopped',
  };
</script>

<Advice>
  {#if stood}
    <b>{last - first + 1} frames</b> at {Math.round(width)}×{height}. Rendering goes on when this
    page is closed.
  {:else}
    <b>Nothing to render yet.</b> Stand proxies in Block first. The camera can go out already.
  {/if}
</Advice>

<Heading>Deliver</Heading>
<div class="grid grid-cols-3 gap-2" role="group" aria-label="What to deliver">
  <Press aria-pressed={kind === 'movie'} onclick={() => (kind = 'movie')}>Movie, MP4</Press>
  <Press aria-pressed={kind === 'frames'} onclick={() => (kind = 'frames')}>Frames, PNG</Press>
  <Press
    aria-pressed={kind === 'drawings'}
    title="Of each frame the blocking in grey, as wire, as depth and by colour"
    onclick={() => (kind = 'drawings')}>Blocking, PNG</Press
  >
</div>
<div class="mt-2 grid grid-cols-3 gap-2" role="group" aria-label="Size">
  {#each SIZES as [label, w] (label)}
    <Press aria-pressed={Math.round(width) === w} onclick={() => (chosenWidth = w)}>{label}</Press>
  {/each}
</div>
<div class="mt-2">
  <NumberField
    label="Width"
    unit="px"
    places={0}
    step={10}
    min={16}
    value={width}
    onkeep={(v) => (chosenWidth = Math.round(v))}
  />
  <NumberField
    label="First frame"
    places={0}
    step={1}
    min={0}
    value={playhead.numbered(first)}
    onkeep={(v) => (range = [playhead.frameOf(v), last])}
  />
  <NumberField
    label="Last frame"
    places={0}
    step={1}
    min={0}
    value={playhead.numbered(last)}
    onkeep={(v) => (range = [first, playhead.frameOf(v)])}
  />
</div>
<Press main class="mt-2 w-full" disabled={!stood} onclick={() => deliver(kind)}
  >Render {{ movie: 'the movie', frames: 'the frames', drawings: 'the blocking' }[kind]}</Press
>
{#if trouble}<p class="mt-2 text-[12px] text-warning" role="alert">{trouble}</p>{/if}

<Heading>To another department</Heading>
{#if project.reading?.settled}
  <div class="grid grid-cols-2 gap-1.5">
    <Press onclick={() => deliver('glb')}>{stood ? 'Scene and camera' : 'Camera'}, GLB</Press>
    <Press onclick={() => deliver('usd')}>{stood ? 'Scene and camera' : 'Camera'}, USDZ</Press>
    <Press href="/api/projects/{id}/camera.json" download>Camera in numbers, JSON</Press>
    {#if !awaited}<Press href="/api/projects/{id}/camera.zip" download>The same and its plate</Press
      >{/if}
    {#if stood}<Press href="/api/projects/{id}/drawings" download>Blocking to paint over</Press
      >{/if}
  </div>
  <p class="mt-1.5 text-[12px] text-quiet">
    Metres, Y up. Cut so that the texture is off by less than a quarter pixel.
    {#if shifted}The lens is shifted, which a GLB camera cannot be: its frame is wider, with the
      picture in it where the camera's extras say.{/if}
  </p>
{/if}

<Heading>Kept <small>{list.length}</small></Heading>
<ul aria-label="Deliveries">
  {#each list as d (d.id)}
    <li class="mb-2 rounded-md border border-line bg-field px-2.5 py-2">
      <div class="flex justify-between gap-2">
        <b>{KINDS[d.kind]} {d.id}</b>
        <span
          class="text-[12px]"
          class:text-jade={d.state === 'done'}
          class:text-warning={d.state === 'failed'}
          class:text-quiet={d.state === 'cancelled' || d.state === 'waiting'}
          >{WORDS[d.state]}{d.state === 'done' ? `, ${bytes(d.bytes)}` : ''}</span
        >
      </div>
      {#if !SCENES.includes(d.kind)}<div class="num text-[12px] text-quiet">
          {d.width}×{d.height} · {d.first}–{d.last}
        </div>{/if}
      {#if d.message}<p class="text-[12px] text-warning">{d.message}</p>{/if}
      {#if d.state === 'rendering' || d.state === 'waiting'}
        <div class="mt-1.5 flex items-center gap-2">
          <Progress label="How far it is" class="flex-1" done={d.done} all={d.total} />
          <span class="num text-[12px]">{d.done} / {d.total}</span>
          <Press class="min-h-6 py-0 text-[12px]" onclick={() => cancel(d)}>Cancel</Press>
        </div>
      {:else}
        <div class="mt-1.5 flex gap-2">
          {#if d.state === 'done'}<Press
              class="min-h-6 py-0 text-[12px]"
              href="/api/deliveries/{d.id}/file"
              download>Download</Press
            >{/if}
          <Press
            class="min-h-6 py-0 text-[12px]"
            aria-label="Delete {d.kind} {d.id}"
            onclick={() => remove(d)}>Delete</Press
          >
        </div>
      {/if}
    </li>
  {/each}
</ul>
{#if !list.length}<p class="text-quiet">What you render is kept here, with the project.</p>{/if}
