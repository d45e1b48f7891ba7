<script lang="ts">
  /** The plate through the sighted camera, or in Move and Deliver the shot. Pan and zoom are 2D:
   *  nothing here can move a camera. */
  import { onMount } from 'svelte';
  import {
    BufferAttribute,
    BufferGeometry,
    Mesh,
    PerspectiveCamera,
    Raycaster,
    Scene,
    Vector2,
    WebGLRenderer,
  } from 'three';
  import { largestCopy, plateAddress } from '../lib/api/client';
  import { boxLevel, desk, type Frame } from '../lib/desk.svelte';
  import { project as open } from '../lib/project.svelte';
  import { blockHand } from '../stations/block/hand.svelte';
  import BlockOverlay from '../stations/block/Overlay.svelte';
  import { shotAt } from '../stations/move/shot';
  import { sightHand } from '../stations/sight/hand.svelte';
  import Overview from '../stations/sight/Overview.svelte';
  import SightOverlay from '../stations/sight/Overlay.svelte';
  import { aim, fit, toPicture, toView, project, type Point, type Window2D } from './camera';
  import type { Hand } from './hand';
  import Loupe from './Loupe.svelte';
  import { Paper } from './paper';
  import { resize, Stage } from './stage';

  let canvas: HTMLCanvasElement;
  let pane: HTMLDivElement;
  let size = $state.raw<[number, number]>([1, 1]);
  let image = $state.raw<HTMLImageElement | null>(null);
  let loaded = $state(0);
  let pointer = $state.raw<Point>([0, 0]);
  let pressed = $state(false);
  let panning: { from: Point; win: Window2D; frame: Frame | null } | null = null;

  const paper = new Paper();
  const stage = new Stage(paper);
  const flat = new Scene();
  const camera = new PerspectiveCamera();
  let renderer: WebGLRenderer | null = null;
  let drawn = 0;

  const scene = $derived(open.scene!);
  const shotView = $derived(desk.station === 'move' || desk.station === 'deliver');
  const sighted = $derived(open.reading?.camera ?? null);
  const through = $derived(
    shotView && sighted && open.shot ? shotAt(open.shot, desk.at, sighted) : sighted,
  );
  const win = $derived.by<Window2D>(() => {
    const [w, h] = size;
    const { width, height } = scene.plate;
    if (shotView || !desk.frame) return fit(width, height, w, h);
    const { x, y, zoom } = desk.frame; // the picture point in the middle, and the zoom
    return { zoom, x: x - w / 2 / zoom, y: y - h / 2 / zoom, width: w, height: h };
  });
  $effect(() => {
    sightHand.zoom = win.zoom;
  });
  const hand = $derived<Hand | null>(
    desk.station === 'sight' ? sightHand : desk.station === 'block' ? blockHand : null,
  );
  const casts = $derived(
    (desk.station === 'cast' && desk.picture) || (shotView && open.proxies.length > 0),
  );
  const wires = $derived(desk.station === 'block' || (desk.station === 'cast' && desk.wire));
  const plateShown = $derived(
    !shotView || !open.proxies.length ? desk.station !== 'cast' || desk.plate : false,
  );

  function redraw() {
    if (!renderer) return;
    cancelAnimationFrame(drawn);
    canvas.dataset.due = ''; // a new picture is due; tests wait until it is drawn
    drawn = requestAnimationFrame(paint);
  }
  function paint() {
    if (!renderer) return;
    const [w, h] = size;
    resize(renderer, size);
    renderer.clear();
    if (!loaded) return;
    if (plateShown) {
      paper.flat.uniforms.view.value.set(win.x, win.y, (win.zoom * canvas.width) / w);
      paper.flat.uniforms.tall.value = canvas.height;
      renderer.render(flat, camera);
    }
    if (through) {
      aim(camera, through, win);
      if (sighted) paper.throwFrom(sighted, scene.lantern?.edge === 'hold');
      paper.seenBy(camera, canvas.width, canvas.height);
      // the frame ends where the picture does; only Block may look past it
      const [x, y] = toView(win, [0, 0]);
      const [right, bottom] = toView(win, [scene.plate.width, scene.plate.height]);
      const [x0, x1, y0, y1] = [x, right, y, bottom].map((v) => Math.ceil(v - 0.5));
      renderer.setScissor(x0, h - y1, x1 - x0, y1 - y0);
      renderer.setScissorTest(casts);
      renderer.render(stage.scene, camera);
      renderer.setScissorTest(false);
    }
    delete canvas.dataset.due;
    canvas.dataset.drawn = String(Number(canvas.dataset.drawn ?? 0) + 1);
  }

  $effect(() => {
    // everything that what is drawn depends on
    void [win, through, loaded, plateShown, scene.lantern];
    const hidden = new Set((scene.proxies ?? []).filter((p) => p.hidden).map((p) => p.id));
    stage.show(open.proxies, {
      picture: casts,
      wire: wires,
      selected: wires ? desk.selected : null,
      hidden,
    });
    stage.bodies.visible = casts || wires;
    const slid = desk.station === 'block' ? blockHand.slid : null;
    if (slid && !open.tried) stage.nudge(...slid);
    stage.grid.visible = !!sighted && desk.grid && desk.station === 'sight';
    if (stage.grid.visible) {
      const ahead = sighted!.rotation[2];
      const [x, , z] = sighted!.position;
      const { plane, level, spacing } = desk.check;
      const far = Math.max(9, 5 * spacing);
      const at: [number, number, number] =
        plane === 'ground'
          ? [x - ahead[0] * far, level, z - ahead[2] * far]
          : [desk.boxAt?.[0] ?? 0, 0, desk.boxAt?.[1] ?? 0];
      stage.layGrid(plane, at, 10, spacing, false);
    }
    const box = boxPlace;
    stage.box.visible = !!box && desk.station === 'sight';
    if (box) {
      stage.box.position.set(box[0], boxLevel(), box[1]);
      stage.box.scale.set(...desk.check.box);
    }
    redraw();
  });

  /** The test box stands where it was left, or on the datum. */
  const boxPlace = $derived<[number, number] | null>(
    desk.testBox && open.reading?.settled ? (desk.boxAt ?? [0, 0]) : null,
  );
  const boxGrip = $derived.by<Point[] | null>(() => {
    if (!boxPlace || !sighted || desk.station !== 'sight') return null;
    const [x, z] = boxPlace;
    const [w, h, d] = desk.check.box;
    const base = [
      [-0.5, -0.5],
      [0.5, -0.5],
      [0.5, 0.5],
      [-0.5, 0.5],
    ].flatMap(([a, b]) =>
      [0, h].map((y) => project(sighted, [x + a * w, boxLevel() + y, z + b * d])),
    );
    return base.every((p) => p) ? (base as Point[]).map((p) => toView(win, p)) : null;
  });
  const hull = $derived.by(() => {
    if (!boxGrip) return null;
    const xs = boxGrip.map((p) => p[0]);
    const ys = boxGrip.map((p) => p[1]);
    return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
  });

  $effect(() => {
    const { digest, width, height } = scene.plate;
    const most = renderer?.capabilities.maxTextureSize ?? 4096;
    const address = plateAddress(open.state!.id, digest, largestCopy(most));
    const img = new Image();
    img.onload = () => (image = img);
    img.src = address;
    void paper
      .load(address, width, height)
      .then(() => loaded++)
      .catch(() =>
        open.say('The plate could not be loaded. Reload the page to try again.', 'warning'),
      );
  });

  onMount(() => {
    renderer = new WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
    renderer.autoClear = false;
    renderer.outputColorSpace = 'srgb-linear';
    renderer.setClearColor('#3a3a3a');
    const whole = new BufferGeometry();
    whole.setAttribute(
      'position',
      new BufferAttribute(new Float32Array([-1, -1, 0, 3, -1, 0, -1, 3, 0]), 3),
    );
    const sheet = new Mesh(whole, paper.flat);
    sheet.frustumCulled = false;
    flat.add(sheet);
    const watch = new ResizeObserver(([e]) => {
      // whole pixels, so that the canvas and what is worked out for it agree
      const { width, height } = e.contentRect;
      size = [Math.max(Math.floor(width), 1), Math.max(Math.floor(height), 1)];
    });
    watch.observe(pane);
    return () => {
      watch.disconnect();
      cancelAnimationFrame(drawn);
      stage.dispose();
      paper.dispose();
      renderer?.dispose();
      renderer = null;
    };
  });

  const here = (e: PointerEvent | WheelEvent): Point => {
    const r = pane.getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top];
  };

  function bodyAt([x, y]: Point): string | null {
    if (!through || !renderer) return null;
    aim(camera, through, win);
    const ray = new Raycaster();
    ray.setFromCamera(new Vector2((x / size[0]) * 2 - 1, 1 - (y / size[1]) * 2), camera);
    return ray.intersectObjects(stage.pickable, false)[0]?.object.name ?? null;
  }

  function down(e: PointerEvent) {
    const at = here(e);
    pane.focus();
    if (e.button === 0 && hand) {
      const grip = (e.target as Element).closest('[data-grip]')?.getAttribute('data-grip') ?? null;
      const body = desk.station === 'block' && !grip ? bodyAt(at) : null;
      if (hand.down(toPicture(win, at), grip, body)) {
        pressed = true;
        pane.setPointerCapture(e.pointerId);
        return;
      }
    }
    if (e.button === 0 && desk.station === 'cast') desk.selected = bodyAt(at);
    if (shotView) return;
    panning = { from: at, win, frame: desk.frame };
    pane.setPointerCapture(e.pointerId);
  }
  function move(e: PointerEvent) {
    pointer = here(e);
    if (panning) {
      const { from, win: w } = panning;
      const x = w.x - (pointer[0] - from[0]) / w.zoom;
      const y = w.y - (pointer[1] - from[1]) / w.zoom;
      if (desk.frame || Math.hypot(pointer[0] - from[0], pointer[1] - from[1]) > 4)
        desk.frame = { zoom: w.zoom, x: x + w.width / 2 / w.zoom, y: y + w.height / 2 / w.zoom };
      return;
    }
    hand?.move(toPicture(win, pointer), pressed);
  }
  function up(e: PointerEvent) {
    if (panning) {
      const clicked = Math.hypot(here(e)[0] - panning.from[0], here(e)[1] - panning.from[1]) < 4;
      if (clicked && desk.station === 'sight') desk.selected = null;
      panning = null;
    } else if (pressed) hand?.up(toPicture(win, here(e)));
    pressed = false;
  }
  /** The pointer was taken away in the middle of a press: all is as it was before it. */
  function lost() {
    if (pressed) hand?.abandon();
    if (panning) desk.frame = panning.frame;
    panning = null;
    pressed = false;
  }
  function wheel(e: WheelEvent) {
    e.preventDefault();
    if (shotView) return;
    const at = here(e);
    const [px, py] = toPicture(win, at);
    const zoom = Math.min(Math.max(win.zoom * Math.exp(-e.deltaY * 0.0015), 0.02), 40);
    const [w, h] = size;
    desk.frame = { zoom, x: px - (at[0] - w / 2) / zoom, y: py - (at[1] - h / 2) / zoom };
  }
  function keys(e: KeyboardEvent) {
    if (e.key === 'Escape') hand?.cancel();
    if (e.key === 'Shift') sightHand.off = true;
    if (e.key === 'Enter' && desk.station === 'block') blockHand.accept();
  }

  const title = $derived(
    shotView
      ? `Shot · frame ${Math.round(desk.at)} · ${(desk.at / (scene.move?.fps ?? 24)).toFixed(1)} s`
      : `Lens · ${Math.round(win.zoom * 100)} %`,
  );
</script>

<svelte:window
  onkeydown={keys}
  onkeyup={(e) => {
    if (e.key === 'Shift') sightHand.off = false;
  }}
  onblur={() => (sightHand.off = false)}
/>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  bind:this={pane}
  class="relative h-full w-full touch-none overflow-hidden bg-surround outline-none"
  class:cursor-crosshair={desk.tool !== 'none'}
  role="application"
  aria-label={shotView ? 'Shot view' : 'Lens view'}
  tabindex="0"
  onpointerdown={down}
  onpointermove={move}
  onpointerup={up}
  onpointercancel={lost}
  onlostpointercapture={lost}
  onmousedown={(e) => e.preventDefault()}
  onwheel={wheel}
>
  <canvas
    bind:this={canvas}
    class="absolute top-0 left-0 block"
    style="width: {size[0]}px; height: {size[1]}px"
  ></canvas>
  <svg class="absolute inset-0 h-full w-full" role="presentation">
    {#if desk.station === 'sight'}
      {#if hull}
        <rect
          x={hull[0]}
          y={hull[1]}
          width={hull[2] - hull[0]}
          height={hull[3] - hull[1]}
          fill="transparent"
          data-grip="box"
          role="button"
          tabindex="-1"
          aria-label="Test box"
          style="cursor: move"
        />
      {/if}
      <SightOverlay {win} />
    {:else if desk.station === 'block'}
      <BlockOverlay {win} />
    {/if}
  </svg>
  {#if desk.station === 'sight' && desk.overview}
    <Overview />
  {/if}
  {#if hand?.loupe && image}
    <Loupe
      at={hand.loupe}
      {image}
      width={scene.plate.width}
      right={pointer[0] < size[0] / 2}
      bottom={pointer[1] < size[1] / 2}
    />
  {/if}
  {#if !loaded}
    <p class="chip absolute bottom-3 left-1/2 -translate-x-1/2" role="status">Loading the plate…</p>
  {/if}
  {#if open.scene && !open.proxies.length && (desk.station === 'cast' || desk.station === 'deliver')}
    <p class="chip absolute bottom-3 left-1/2 -translate-x-1/2">
      Nothing stands here yet: block the place first.
    </p>
  {/if}

  <div
    class="pointer-events-none absolute top-2 right-2 left-2 flex flex-wrap justify-between gap-1.5"
  >
    <span class="chip num">{title}</span>
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <span class="pointer-events-auto flex gap-1.5" onpointerdown={(e) => e.stopPropagation()}>
      {#if desk.station === 'sight'}
        <button class="chip" aria-pressed={desk.edges} onclick={() => (desk.edges = !desk.edges)}
          >Edges</button
        >
        <button class="chip" aria-pressed={desk.grid} onclick={() => (desk.grid = !desk.grid)}
          >Grid</button
        >
        <button
          class="chip"
          aria-pressed={desk.horizon}
          onclick={() => (desk.horizon = !desk.horizon)}>Horizon</button
        >
        <button
          class="chip"
          aria-pressed={desk.testBox}
          disabled={!open.reading?.settled}
          onclick={() => (desk.testBox = !desk.testBox)}>Test box</button
        >
        <button
          class="chip"
          aria-pressed={desk.figures}
          disabled={!open.reading?.settled}
          onclick={() => (desk.figures = !desk.figures)}>Figures</button
        >
        <button
          class="chip"
          aria-pressed={desk.overview}
          onclick={() => (desk.overview = !desk.overview)}>Overview</button
        >
      {:else if desk.station === 'cast'}
        <button class="chip" aria-pressed={desk.plate} onclick={() => (desk.plate = !desk.plate)}
          >Plate</button
        >
        <button
          class="chip"
          aria-pressed={desk.picture}
          onclick={() => (desk.picture = !desk.picture)}>Cast</button
        >
        <button class="chip" aria-pressed={desk.wire} onclick={() => (desk.wire = !desk.wire)}
          >Wire</button
        >
      {/if}
      {#if !shotView}
        <button class="chip" onclick={() => (desk.frame = null)}>Fit</button>
      {/if}
    </span>
  </div>
</div>
