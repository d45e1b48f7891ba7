<script lang="ts">
  /** The plate through the sighted camera, or the shot. Pan and zoom are 2D: nothing here can move a
   *  camera. */
  import { onMount, untrack } from 'svelte';
  import { PerspectiveCamera, Raycaster, Vector2, type WebGLRenderer } from 'three';
  import { playhead } from '../project/playhead.svelte';
  import { project as open } from '../project/project.svelte';
  import { withGuests } from '../project/guests';
  import { lanternsAt, shapesAt } from '../project/times';
  import { selection } from '../project/selection.svelte';
  import { tool } from '../project/tool.svelte';
  import { windows, type Frame } from '../project/windows.svelte';
  import { aim, fit, rayOf, sizeOf, toPicture, toView, type Point, type Window2D } from './camera';
  import { Flat } from './flat';
  import Loupe from './Loupe.svelte';
  import { Mark } from './mark.svelte';
  import { peek, swung } from './peek.svelte';
  import type { Point3, Seen } from './hand';
  import type { Paper } from './paper';
  import type { Plate } from './plate';
  import type { Plates } from './plates';
  import type { Region, Screen } from './screen';
  import { shotAt } from './shot';
  import { runsOf } from './layers';
  import { Stage } from './stage';
  import type { Layer, Station } from './station';
  import Press from '../lib/Press.svelte';
  import { typing } from '../lib/typing';
  import { SAID } from '../lib/theme';

  let {
    station,
    screen,
    paper,
    plate,
    plates,
    arrived,
    trouble,
  }: {
    station: Station;
    screen: Screen;
    paper: Paper;
    plate: Plate;
    plates: Plates;
    arrived: number;
    trouble: string | null;
  } = $props();

  const FLICKER_MS = 420;
  let turn = $state(false); // of what is beneath, while layers are shown by turns
  const PEEK_KEY = 'q';
  const USUALLY_AHEAD = 4; // of the world's size
  const CLICK = 4; // px: a press that moves less does not pan
  const GRID_REACH = 10;
  let pane: HTMLDivElement;
  let size = $state.raw<[number, number]>([1, 1]);
  let pointer = $state.raw<Point>([0, 0]);
  let pressed = $state(false);
  let under = $state<string | null>(null);
  let asking = false;
  let panning: { from: Point; win: Window2D; frame: Frame | null } | null = null;
  let region = $state.raw<Region | null>(null);

  // svelte-ignore state_referenced_locally
  const stage = new Stage(paper);
  // svelte-ignore state_referenced_locally
  const flat = new Flat(paper);
  const camera = new PerspectiveCamera();

  const scene = $derived(open.scene!);
  const draws = $derived(station.draws());
  const chips = $derived(station.chips());
  const hand = $derived(draws.taken ? null : (station.hand ?? null));
  const sighted = $derived(open.reading?.camera ?? null);
  const held = $derived(
    draws.shot && sighted && open.shot
      ? shotAt(open.shot, playhead.at, sighted)
      : (draws.taken?.camera ?? sighted),
  );
  const through = $derived(peek.at && held ? swung(held, peek.at) : held);
  const shapes = $derived(
    draws.shot ? shapesAt(open.shapes, open.times, playhead.frame) : open.shapes,
  );
  const lanterns = $derived(
    draws.shot ? lanternsAt(open.lanterns, open.times, playhead.frame) : open.lanterns,
  );
  const guests = $derived(open.guestsNow);
  const place = $derived.by(() => {
    const bare = { proxies: scene.proxies, shapes, lanterns, takes: open.takes };
    if (!draws.shot) return bare;
    return withGuests(bare, guests, open.guests, open.times, playhead.frame);
  });
  const win = $derived.by<Window2D>(() => {
    const [w, h] = size;
    const { width, height } = scene.plate;
    if (draws.shot || !windows.frame) return fit(width, height, w, h);
    const { x, y, zoom } = windows.frame;
    return { zoom, x: x - w / 2 / zoom, y: y - h / 2 / zoom, width: w, height: h };
  });
  const soft = $derived.by(() => {
    void arrived;
    const copy = plate.castWidth / scene.plate.width;
    return castLayer && copy > 0 && copy < 1 && win.zoom * window.devicePixelRatio > copy;
  });
  const says = $derived(
    trouble ??
      draws.says ??
      (soft
        ? `The cast is shown from a copy ${plate.castWidth.toLocaleString('en')} px wide; frames use the whole plate.`
        : null),
  );

  $effect(() => {
    if (hand) hand.zoom = win.zoom;
  });
  /** Out of the lens there is no flat plate; what is cast is seen, whatever else the station draws. */
  const layers = $derived.by<Layer[]>(() => {
    if (!peek.at) return turn ? draws.layers.filter((layer) => !layer.turns) : draws.layers;
    const cast: Layer = draws.layers.find((one) => one.of === 'cast') ?? { of: 'cast' };
    const plain: Layer = {
      of: 'cast',
      lit: cast.of === 'cast' ? cast.lit : null,
      look: cast.look,
    };
    return [plain, ...draws.layers.filter((one) => one.of === 'wire')];
  });
  const wired = $derived(layers.some((layer) => layer.of === 'wire'));
  const castLayer = $derived(layers.find((layer) => layer.of === 'cast'));

  $effect(() => {
    if (!draws.layers.some((layer) => layer.turns)) return;
    const turns = setInterval(() => (turn = !turn), FLICKER_MS);
    return () => {
      clearInterval(turns);
      turn = false;
    };
  });

  function paint(renderer: WebGLRenderer) {
    if (!plate.ready || !region) return;
    if (through) {
      aim(camera, through, win);
      plates.throwFrom(place.lanterns);
      paper.dressIn(draws.dress ?? null);
      paper.dressing.look(renderer, (named) => stage.casters(named));
      stage.lookFrom(renderer, place.takes);
      stage.seenFrom(camera);
      paper.seenBy(camera, ...region.place.size, 1);
    }
    for (const run of runsOf(layers)) paintRun(renderer, region, run);
  }

  function paintRun(renderer: WebGLRenderer, on: Region, run: Layer[]) {
    const [first] = run;
    const shown = plates.looked(draws.taken?.picture ?? null);
    const { ratio, size: room } = on.place;
    if (first.of === 'plate') {
      const asCast = layers.some((layer) => layer.blend === 'difference');
      on.wholeScissor();
      on.layers.put(first, () => flat.draw(renderer, shown.flat(win, ratio, asCast), room));
    } else if (through && clip(on, first)) {
      on.layers.put(first, () => stage.draw(renderer, camera, run));
    }
  }

  /** The frame ends where the picture does; only where nothing is cast one may look past it. */
  function clip(on: Region, { wipe }: Layer): boolean {
    if (!castLayer) return on.scissor(0, 0, ...size);
    const { width, height } = scene.plate;
    const [[x0, y0], [x1, y1]] = [toView(win, [0, 0]), toView(win, [width, height])].map((p) =>
      p.map((v) => Math.ceil(v - 0.5)),
    );
    return on.scissor(x0, y0, Math.round(x0 + (wipe ?? 1) * (x1 - x0)), y1);
  }

  $effect(() => {
    // everything that what is drawn depends on
    void [win, through, arrived, layers, place, draws.dress, draws.taken, region];
    plates.throwFrom(place.lanterns);
    if (castLayer) plates.sharpen();
    stage.show(place.proxies, place.shapes, {
      layers,
      takes: place.takes,
      only: draws.only,
      chosen: (id) => wired && selection.has('proxy', id),
      under,
    });
    if (draws.slid) stage.slide(draws.slid, open.state?.shapes.get(draws.slid.id));
    const grid = layers.find((layer) => layer.of === 'grid');
    stage.showGrid(grid?.grid, GRID_REACH, false);
    const slid = draws.slid?.id;
    if (region) region.deep = stage.mixes(layers);
    region?.redraw();
    return () => {
      if (slid) stage.settle(slid);
    };
  });

  onMount(() => {
    const mine = screen.pane(pane, '#3a3a3a', paint, (s) => (size = s));
    region = mine.region;
    return () => {
      mine.leave();
      stage.dispose();
      flat.dispose();
    };
  });

  const here = (e: PointerEvent | WheelEvent): Point => {
    const r = pane.getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top];
  };

  function hitAt([x, y]: Point) {
    if (!through) return null;
    aim(camera, through, win);
    stage.scene.updateMatrixWorld();
    const ray = new Raycaster();
    ray.layers.enableAll();
    ray.setFromCamera(new Vector2((x / size[0]) * 2 - 1, 1 - (y / size[1]) * 2), camera);
    return ray.intersectObjects(stage.pickable, false)[0] ?? null;
  }
  const bodyAt = (at: Point): string | null => hitAt(at)?.object.name ?? null;
  function seenAt(at: Point): Seen | null {
    if (!through) return null;
    const ray = rayOf(through, toPicture(win, at)) as Point3;
    const place = (hitAt(at)?.point.toArray() ?? null) as Point3 | null;
    return { camera: through, zoom: win.zoom, ray, place };
  }

  /** Leave the lens about what is under a place of the view; where nothing is, about what lies as far
   *  ahead as people usually look. */
  function beginPeek(at: Point) {
    const seen = seenAt(at);
    if (!seen || !open.shapes.size || draws.shot) return false;
    const { position } = seen.camera;
    const far = USUALLY_AHEAD * sizeOf(sighted!);
    const about = seen.place ?? (position.map((v, i) => v + seen.ray[i] * far) as Point3);
    peek.begin(about, at);
    return true;
  }
  function keyed(e: KeyboardEvent, on: boolean) {
    hand?.key(e.key, on);
    if (e.key.toLowerCase() !== PEEK_KEY || e.ctrlKey || e.metaKey || e.altKey) return;
    if (!on) peek.end();
    else if (!e.repeat && !peek.at && !typing(e)) beginPeek(pointer);
  }

  function down(e: PointerEvent) {
    const at = here(e);
    pane.focus();
    if (peek.at) return;
    if (e.button === 0 && hand) {
      const seen = () => seenAt(at);
      if (hand.down(toPicture(win, at), grip(e.target as Element), () => bodyAt(at), seen)) {
        pressed = true;
        pane.setPointerCapture(e.pointerId);
        return;
      }
    }
    if (draws.shot) return;
    panning = { from: at, win, frame: windows.frame };
    pane.setPointerCapture(e.pointerId);
  }
  const moved = (from: Point, to: Point) => Math.hypot(to[0] - from[0], to[1] - from[1]) > CLICK;
  /** Which proxy is under the pointer, asked for once a frame while wires are looked at. */
  function lookUnder() {
    if (!wired || draws.shot || pressed || asking) return;
    asking = true;
    requestAnimationFrame(() => {
      asking = false;
      under = bodyAt(pointer);
    });
  }
  function move(e: PointerEvent) {
    pointer = here(e);
    if (peek.at) return peek.move(pointer);
    lookUnder();
    if (panning) {
      const { from, win: w } = panning;
      const x = w.x - (pointer[0] - from[0]) / w.zoom;
      const y = w.y - (pointer[1] - from[1]) / w.zoom;
      if (windows.frame || moved(from, pointer))
        windows.frame = {
          zoom: w.zoom,
          x: x + w.width / 2 / w.zoom,
          y: y + w.height / 2 / w.zoom,
        };
      return;
    }
    hand?.move(toPicture(win, pointer), pressed);
  }
  function up(e: PointerEvent) {
    if (panning) {
      if (!moved(panning.from, here(e))) hand?.missed();
      panning = null;
    } else if (pressed) hand?.up(toPicture(win, here(e)));
    pressed = false;
  }
  /** The pointer was taken away in the middle of a press: all is as it was before it. */
  function lost(e: PointerEvent) {
    // a finger is caught by what it touches first, which loses it to the view
    if (e.type === 'lostpointercapture' && e.target !== pane) return;
    if (pressed) hand?.abandon();
    if (panning) windows.frame = panning.frame;
    panning = null;
    pressed = false;
  }
  function zoomBy(by: number, at: Point) {
    if (draws.shot) return;
    const [px, py] = toPicture(win, at);
    const zoom = Math.min(Math.max(win.zoom * by, 0.02), 40);
    const [w, h] = size;
    windows.frame = { zoom, x: px - (at[0] - w / 2) / zoom, y: py - (at[1] - h / 2) / zoom };
  }
  function wheel(e: WheelEvent) {
    e.preventDefault();
    const seen = draws.shot && hand?.wheel && seenAt(here(e));
    if (seen) return hand!.wheel!(e.deltaY, seen);
    zoomBy(Math.exp(-e.deltaY * 0.0015), here(e));
  }

  const grip = (on: Element | null | undefined) =>
    on?.closest('[data-grip]')?.getAttribute('data-grip') ?? null;
  /** The grip that lies under a place of the view. */
  function gripAt([x, y]: Point): string | null {
    const r = pane.getBoundingClientRect();
    const under = document.elementsFromPoint(r.left + x, r.top + y);
    return grip(under.find((on) => pane.contains(on) && on.closest('[data-grip]')));
  }
  /** While peeking, the arrows swing the view, degrees a press. */
  const SWINGS: Record<string, Point> = {
    ArrowLeft: [-2, 0],
    ArrowRight: [2, 0],
    ArrowUp: [0, -2],
    ArrowDown: [0, 2],
  };
  const mark = new Mark({
    size: () => size,
    move: (at) => {
      pointer = at;
      lookUnder();
      hand?.move(toPicture(win, at), mark.holds);
    },
    press: (at) => {
      pressed = !!hand?.down(toPicture(win, at), gripAt(at), () => bodyAt(at));
      if (!pressed) hand?.missed();
      return pressed;
    },
    letGo: (at) => {
      if (pressed) hand?.up(toPicture(win, at));
      pressed = false;
    },
    zoom: zoomBy,
  });
  const marked = $derived(draws.shot ? null : windows.mark);
  $effect(() => {
    if (!marked) return;
    untrack(() => mark.put(pointer));
    pane.focus();
  });
  function keydown(e: KeyboardEvent) {
    if (peek.at && SWINGS[e.key]) {
      e.preventDefault();
      e.stopPropagation();
      return peek.swing(...SWINGS[e.key]);
    }
    const plain = !e.ctrlKey && !e.metaKey && !e.altKey && e.target === pane;
    const seen = draws.shot && plain && hand?.arrow && seenAt([size[0] / 2, size[1] / 2]);
    if (seen && hand!.arrow!(e.key, { fine: e.shiftKey, seen })) {
      e.preventDefault();
      e.stopPropagation();
      return;
    }
    if (!marked || e.target !== pane || !mark.key(e)) return;
    e.preventDefault();
    e.stopPropagation();
  }

  const title = $derived(
    peek.at
      ? `Peek · ${Math.abs(peek.at.aside).toFixed(1)}° aside, ${Math.abs(peek.at.up).toFixed(1)}° over`
      : draws.shot
        ? `Shot · frame ${playhead.numbered()} · ${(playhead.at / scene.move.fps!).toFixed(1)} s`
        : draws.taken
          ? `Picture ${(scene.plate.playing?.first ?? 0) + draws.taken.picture}, by the camera that took it`
          : `Lens · ${Math.round(win.zoom * 100)} %`,
  );
</script>

<svelte:window
  onkeydown={(e) => keyed(e, true)}
  onkeyup={(e) => keyed(e, false)}
  onblur={() => {
    hand?.key('Shift', false);
    hand?.key('Alt', false);
    peek.end();
  }}
/>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  bind:this={pane}
  data-mark={marked ? '' : undefined}
  class="relative h-full w-full touch-none overflow-hidden outline-none"
  class:cursor-crosshair={tool.name !== 'none'}
  role="application"
  aria-label={draws.shot ? 'Shot view' : 'Lens view'}
  tabindex="0"
  onpointerdown={down}
  onpointermove={move}
  onpointerleave={() => (under = null)}
  onpointerup={up}
  onpointercancel={lost}
  onlostpointercapture={lost}
  onmousedown={(e) => e.preventDefault()}
  onwheel={wheel}
  onkeydown={keydown}
>
  <svg class="absolute inset-0 h-full w-full" role="presentation">
    {#if station.Overlay && !peek.at}
      <station.Overlay {win} />
    {/if}
    {#if marked}
      <g class="pointer-events-none" fill="none" transform="translate({mark.at[0]} {mark.at[1]})">
        <path d="M-14 0h10M4 0h10M0-14v10M0 4v10" stroke="var(--color-ground)" stroke-width="4" />
        <path d="M-14 0h10M4 0h10M0-14v10M0 4v10" stroke="var(--color-lantern)" stroke-width="2" />
        {#if mark.holds}<circle r="9" stroke="var(--color-lantern)" stroke-width="2" />{/if}
      </g>
    {/if}
  </svg>
  {#if station.Corner}
    <station.Corner />
  {/if}
  {#if hand?.loupe}
    <Loupe
      at={hand.loupe}
      tiles={plate.tiles}
      right={pointer[0] < size[0] / 2}
      bottom={pointer[1] < size[1] / 2}
    />
  {/if}
  {#if !plate.ready && arrived === 0 && !trouble}
    <p class="{SAID} absolute bottom-3 left-1/2 -translate-x-1/2" role="status">
      Loading the plate…
    </p>
  {:else if says}
    <p
      class="{SAID} pointer-events-none absolute bottom-3 left-1/2 -translate-x-1/2 !whitespace-normal text-center"
      class:!text-warning={trouble}
      role="status"
    >
      {says}
    </p>
  {/if}

  <div
    class="pointer-events-none absolute top-2 right-2 left-2 flex flex-wrap justify-between gap-1.5"
  >
    <Press
      kind="chip"
      class="num pointer-events-auto"
      title="Double-click: everything for this view, and back"
      does="everything for the lens view, and back"
      ondblclick={() => windows.give('lens')}
      onpointerdown={(e) => e.stopPropagation()}>{title}</Press
    >
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <span class="pointer-events-auto flex gap-1.5" onpointerdown={(e) => e.stopPropagation()}>
      {#each chips as { label, on, disabled, press } (label)}
        <Press kind="chip" aria-pressed={on} {disabled} onclick={press}>{label}</Press>
      {/each}
      {#if !draws.shot}
        {#if open.shapes.size}
          <Press
            kind="chip"
            title="Hold, and move: out of the lens and back"
            does="peek: hold, and move the pointer"
            aria-pressed={!!peek.at}
            onpointerdown={(e) => {
              e.currentTarget.setPointerCapture(e.pointerId);
              beginPeek([size[0] / 2, size[1] / 2]);
              peek.begin(peek.at!.about, here(e));
            }}
            onpointermove={(e) => peek.move(here(e))}
            onpointerup={() => peek.end()}
            onpointercancel={() => peek.end()}
            onlostpointercapture={() => peek.end()}>Peek</Press
          >
        {/if}
        <Press kind="chip" onclick={() => (windows.frame = null)}>Fit</Press>
      {/if}
    </span>
  </div>
</div>
