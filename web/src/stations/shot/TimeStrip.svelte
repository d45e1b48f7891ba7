<script lang="ts">
  /** The shot in time: keys, playhead, play. */
  import { playhead } from '../../project/playhead.svelte';
  import { project } from '../../project/project.svelte';
  import { maps } from '../../project/maps.svelte';
  import { MAPS, wholeMove } from '../../project/strip.svelte';
  import { aspect } from '../../lib/words';
  import { Input } from 'flowbite-svelte';
  import Press from '../../lib/Press.svelte';
  import { frameOf, timecode } from '../../project/timecode';
  import { group } from './group.svelte';
  import KeyGroup from './KeyGroup.svelte';
  import { preview } from './preview.svelte';
  import { sideBySide } from './sidebyside.svelte';
  import ThreeFrames from './ThreeFrames.svelte';

  const scene = $derived(project.scene!);
  const move = $derived(scene.move!);
  const frames = $derived(move.frames ?? 96);
  const fps = $derived(move.fps ?? 24);
  const last = $derived(Math.max(frames - 1, 1));
  const keys = $derived(project.keys);
  const at = $derived(Math.min(Math.round(playhead.at), frames - 1));

  let strip: HTMLDivElement;
  let handle: HTMLDivElement;
  let pressed = false;
  let scrubbing = false;
  let marking: number | null = null; // the frame at which a group of keys was begun
  let dragged = $state.raw<{ from: number; to: number } | null>(null);

  $effect(() => {
    if (playhead.at > frames - 1) playhead.at = frames - 1;
  });

  $effect(() => {
    if (!playhead.playing) return;
    let then = performance.now();
    let next = requestAnimationFrame(function run(now) {
      // frames are dropped, not time
      const t = playhead.at + ((now - then) / 1000) * fps;
      const [begin, end] = playhead.loop(frames);
      then = now;
      playhead.at = t > end || t < begin ? begin : t;
      next = requestAnimationFrame(run);
    });
    return () => cancelAnimationFrame(next);
  });

  $effect(() => {
    void project.state?.revision;
    void wholeMove.look();
  });
  $effect(() => {
    void project.state?.revision;
    if (preview.on) void preview.look();
  });
  /** Stretches of frames that are rendered. */
  const rendered = $derived.by(() => {
    const out: [number, number][] = [];
    for (let f = 0; f < frames; f++) {
      if (!preview.made.has(f)) continue;
      if (out.at(-1)?.[1] === f - 1) out.at(-1)![1] = f;
      else out.push([f, f]);
    }
    return out;
  });
  /** A frame as it is drawn under the track: shares piled up, as high as the worst frame's, or a
   *  twentieth of a frame where all are better. */
  const FULL = 0.05;
  const HIGH = 20; // px
  const BANDS_TOP = 42; // px, where they begin in the strip
  const LEAST = 0.0002; // of a frame: less is not laid over it
  const piles = $derived.by(() => {
    const strip = wholeMove.now;
    if (!strip || strip.leak.length !== frames) return [];
    const long = Math.min(frames, 400);
    const full = Math.max(
      FULL,
      ...strip.leak.map((_, f) => MAPS.reduce((sum, [name]) => sum + (strip[name][f] ?? 0), 0)),
    );
    // until a frame is known it is drawn, faintly, as its nearest known neighbour before it
    let known = 0;
    return Array.from({ length: long }, (_, i) => {
      const at = Math.round((i * (frames - 1)) / Math.max(long - 1, 1));
      const faint = strip.leak[at] === null;
      if (!faint) known = at;
      const f = known;
      let from = 0;
      return MAPS.map(([name, , , tone]) => {
        const high = Math.min(((strip[name][f] ?? 0) / full) * HIGH, HIGH - from);
        const bar = { x: at, y: HIGH - from - high, high, tone, faint };
        from += high;
        return bar;
      }).filter((bar) => bar.high > 0.2);
    }).flat();
  });
  const worst = $derived(wholeMove.now?.leak.length === frames ? wholeMove.now.worst : null);

  const first = $derived(move.first ?? 0);
  function goTo(field: HTMLInputElement) {
    const to = frameOf(field.value, fps, first);
    field.value = String(at + first).padStart(3, '0');
    if (to === null) project.say('Type a frame, seconds as 2.5 s, or a timecode as 00:02:12.');
    else playhead.at = Math.min(Math.max(to, 0), frames - 1);
  }
  const loop = $derived(playhead.loop(frames));
  function showWhy(frame: number) {
    const now = wholeMove.now;
    const bad = MAPS.map(([name]) => name).filter((name) => (now?.[name][frame] ?? 0) > LEAST);
    if (bad.length) maps.on = bad;
  }
  function goWorst() {
    playhead.playing = false;
    playhead.at = worst!;
    showWhy(worst!);
  }
  const frameAt = (e: PointerEvent) => {
    const r = strip.getBoundingClientRect();
    return Math.round(Math.min(Math.max((e.clientX - r.left) / r.width, 0), 1) * (frames - 1));
  };
  function down(e: PointerEvent) {
    strip.setPointerCapture(e.pointerId);
    handle.focus();
    pressed = true;
    playhead.playing = false;
    if (e.shiftKey) {
      marking = frameAt(e);
      group.mark(marking, marking);
      return;
    }
    group.marked = false;
    const key = (e.target as Element).closest('[data-key]')?.getAttribute('data-key');
    if (key) dragged = { from: Number(key), to: Number(key) };
    else scrubbing = true;
    playhead.at = key ? Number(key) : frameAt(e);
    // on the bands: with what is bad there laid over the shot
    if (!key && e.clientY - strip.getBoundingClientRect().top > BANDS_TOP) showWhy(playhead.frame);
  }
  function movePointer(e: PointerEvent) {
    if (marking !== null) group.mark(marking, frameAt(e));
    else if (dragged) {
      dragged = { ...dragged, to: frameAt(e) };
      playhead.at = dragged.to;
    } else if (scrubbing) playhead.at = frameAt(e);
  }
  /** The pointer was taken away: the key stays on its frame. */
  function lost(e: PointerEvent) {
    // a finger is caught by what it touches first, which loses it to the strip
    if (e.type === 'lostpointercapture' && e.target !== strip) return;
    if (!pressed) return;
    pressed = scrubbing = false;
    dragged = marking = null;
  }
  function up() {
    pressed = scrubbing = false;
    if (marking !== null) {
      marking = null;
      group.marked = keys.some((k) => k.frame >= group.first && k.frame <= group.last);
      return;
    }
    const d = dragged;
    if (d && d.to !== d.from)
      void project
        .keep({ verb: 'ShiftKey', frame: d.from, to: d.to })
        .finally(() => (dragged = null));
    else dragged = null;
  }
  const share = (f: number) => (f / last) * 100;
  const ticks = $derived.by(() => {
    const step =
      [1, 2, 5, 10, 12, 24, 48, 120, 240, 480, 1200].find((s) => frames / s <= 12) ?? 2400;
    return Array.from({ length: Math.floor((frames - 1) / step) + 1 }, (_, i) => i * step);
  });
  const shownKeys = $derived(keys.map((k) => (dragged?.from === k.frame ? dragged.to : k.frame)));
</script>

<footer class="h-[132px] shrink-0 border-t border-line bg-raised px-4 py-3" aria-label="Time strip">
  <div class="flex items-center gap-3">
    <Press
      class="w-10"
      aria-label={playhead.playing ? 'Stop' : 'Play'}
      onclick={() => (playhead.playing = !playhead.playing)}>{playhead.playing ? '■' : '▶'}</Press
    >
    <Input
      class="num w-24! text-right"
      aria-label="Frame, seconds or timecode to go to"
      value={String(at + first).padStart(3, '0')}
      onkeydown={(e) => e.key === 'Enter' && goTo(e.currentTarget as HTMLInputElement)}
      onchange={(e) => goTo(e.currentTarget as HTMLInputElement)}
    />
    <span class="num">/ {frames - 1 + first}</span>
    <span class="num text-[12px] text-quiet"
      >{timecode(at, fps)} · {fps} fps · {(frames / fps).toFixed(1)} s · {aspect(
        scene.plate.width,
        scene.plate.height,
      )}</span
    >
    <Press
      tight
      aria-pressed={playhead.begin === at}
      title="Play from this frame on"
      does="the loop begins here, or not"
      onclick={() => playhead.mark('begin')}>From here</Press
    >
    <Press
      tight
      aria-pressed={playhead.end === at}
      title="Play up to this frame"
      does="the loop ends here, or not"
      onclick={() => playhead.mark('end')}>To here</Press
    >
    <span class="ml-auto text-[12px] text-quiet"
      >{keys.length ? '' : 'No keys: the shot stands at the lens.'}</span
    >
    {#if keys.length}
      <Press
        tight
        aria-pressed={preview.on}
        title="Render the shot small in the background, and play that"
        does="preview: render the shot small, and play that; or not"
        onclick={() => preview.toggle()}
        >{preview.on && !preview.whole
          ? `Preview ${preview.made.size}/${frames}`
          : 'Preview'}</Press
      >
      <Press
        tight
        title="The still and the first, worst and last frame, rendered"
        does="first, worst and last frame side by side"
        onclick={() => (sideBySide.open = true)}>Side by side</Press
      >
    {/if}
    {#if worst !== null && keys.length}
      <Press tight onclick={goWorst}>Worst: frame {playhead.numbered(worst)}</Press>
    {/if}
  </div>
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <div
    bind:this={strip}
    class="relative mx-2 mt-3 h-14 cursor-pointer touch-none"
    role="group"
    data-strip
    aria-label="The shot in time"
    title="Shift and drag marks keys, to be moved, stretched or copied together"
    onpointerdown={down}
    onpointermove={movePointer}
    onpointerup={up}
    onpointercancel={lost}
    onlostpointercapture={lost}
    onmousedown={(e) => e.preventDefault()}
  >
    <div class="absolute inset-x-0 top-6 h-4 rounded bg-field"></div>
    <svg
      class="pointer-events-none absolute top-[42px] h-5 w-full"
      viewBox="-0.5 0 {frames} {HIGH}"
      preserveAspectRatio="none"
      role="img"
      aria-label="How bad each frame is"
    >
      {#each piles as bar (`${bar.x}${bar.tone}`)}
        <rect
          x={bar.x - 0.5}
          y={bar.y}
          width="1.02"
          height={bar.high}
          fill={bar.tone}
          fill-opacity={bar.faint ? 0.3 : 1}
        />
      {/each}
    </svg>
    {#each rendered as [from, to] (from)}
      <div
        class="absolute top-[39px] h-[2px] bg-jade"
        data-rendered
        style="left: {share(from)}%; width: {share(to - from)}%"
      ></div>
    {/each}
    {#if playhead.begin !== null || playhead.end !== null}
      <div
        class="absolute top-[22px] h-[3px] bg-lantern/60"
        style="left: {share(loop[0])}%; width: {share(loop[1]) - share(loop[0])}%"
      ></div>
    {/if}
    {#if shownKeys.length > 1}
      <div
        class="absolute top-6 h-4 bg-primary-900"
        style="left: {share(Math.min(...shownKeys))}%; width: {share(Math.max(...shownKeys)) -
          share(Math.min(...shownKeys))}%"
      ></div>
    {/if}
    {#each ticks as t (t)}
      <span
        class="num absolute top-0 -translate-x-1/2 text-[12px] text-quiet"
        style="left: {share(t)}%">{t + first}</span
      >
      <span class="absolute top-[19px] h-1 w-px bg-line" style="left: {share(t)}%"></span>
    {/each}
    <div
      bind:this={handle}
      class="absolute top-3 h-10 w-0.5 -translate-x-1/2 bg-lantern"
      style="left: {share(at)}%"
      role="slider"
      tabindex="0"
      aria-label="Frame"
      aria-valuemin="0"
      aria-valuemax={frames - 1}
      aria-valuenow={at}
    ></div>
    {#each keys as k, i (k.frame)}
      {@const f = shownKeys[i]}
      <Press
        kind="bare"
        class="absolute top-[23px] -translate-x-1/2"
        style="left: {share(f)}%"
        data-key={k.frame}
        aria-label="Key at {f + first}"
        onclick={() => (playhead.at = f)}
      >
        <svg width="16" height="18" viewBox="0 0 16 18" aria-hidden="true"
          ><path
            d="M8 1l6.5 3.8v8.4L8 17l-6.5-3.8V4.8z"
            fill={at === f ? 'var(--color-lantern)' : 'var(--color-ink)'}
            stroke="var(--color-ground)"
          /></svg
        >
      </Press>
    {/each}
    {#if group.marked}<KeyGroup {last} />{/if}
  </div>
</footer>
{#if sideBySide.open}<ThreeFrames />{/if}
