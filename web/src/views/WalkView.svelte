<script lang="ts">
  /** A free look round the scene. Nothing here changes the sighting or the shot. */
  import { onMount } from 'svelte';
  import {
    BufferAttribute,
    BufferGeometry,
    Group,
    Line,
    LineBasicMaterial,
    LineDashedMaterial,
    LineSegments,
    PerspectiveCamera,
    Plane,
    Raycaster,
    Vector2,
    Vector3,
    WebGLRenderer,
  } from 'three';
  import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
  import { plateAddress, type CameraReading } from '../lib/api/client';
  import { boxLevel, desk } from '../lib/desk.svelte';
  import { project as open } from '../lib/project.svelte';
  import { plain } from '../lib/words';
  import { shotAt } from '../stations/move/shot';
  import { vector } from './camera';
  import { Paper } from './paper';
  import { resize, Stage } from './stage';

  let canvas: HTMLCanvasElement;
  let pane: HTMLDivElement;
  let size = $state.raw<[number, number]>([1, 1]);
  let loaded = $state(0);
  let ready = $state(false);
  let tag = $state.raw<{ x: number; y: number } | null>(null);

  const paper = new Paper(0.25);
  const stage = new Stage(paper);
  const cameras = new Group();
  stage.scene.add(cameras);
  const eye = new PerspectiveCamera(45, 1, 0.05, 20000);
  let renderer: WebGLRenderer | null = null;
  let controls: OrbitControls | null = null;
  let drawn = 0;
  let looked = false;
  let lookedSettled = false; // a world that has just got its size is looked at anew
  let sliding: { id: string; level: number; from: Vector3; moved: boolean } | null = null;

  const scene = $derived(open.scene!);
  const sighted = $derived(open.reading?.camera ?? null);
  const settled = $derived(open.reading?.settled ?? false);

  function redraw() {
    if (!renderer) return;
    cancelAnimationFrame(drawn);
    drawn = requestAnimationFrame(() => {
      if (!renderer) return;
      resize(renderer, size);
      eye.aspect = size[0] / size[1];
      eye.updateProjectionMatrix();
      eye.updateMatrixWorld();
      const ratio = window.devicePixelRatio;
      paper.seenBy(eye, size[0] * ratio, size[1] * ratio);
      renderer.render(stage.scene, eye);
      if (sighted) {
        const p = vector(sighted.position).project(eye);
        tag = p.z < 1 ? { x: ((p.x + 1) / 2) * size[0], y: ((1 - p.y) / 2) * size[1] } : null;
      }
    });
  }

  /** The outline of what a camera sees, out to a distance. */
  function frustum(c: CameraReading, far: number, colour: string, dashed: boolean): LineSegments {
    const [w, h, f] = [c.width, c.height, c.focal_px];
    const corners = [
      [0, 0],
      [w, 0],
      [w, h],
      [0, h],
    ].map(([x, y]) => {
      const k = [((x - c.cx) / f) * far, (-(y - c.cy) / f) * far, -far];
      return [0, 1, 2].map(
        (i) =>
          c.position[i] +
          c.rotation[0][i] * k[0] +
          c.rotation[1][i] * k[1] +
          c.rotation[2][i] * k[2],
      );
    });
    const points: number[] = [];
    corners.forEach((p, i) => points.push(...c.position, ...p, ...p, ...corners[(i + 1) % 4]));
    const g = new BufferGeometry();
    g.setAttribute('position', new BufferAttribute(new Float32Array(points), 3));
    const material = dashed
      ? new LineDashedMaterial({ color: colour, dashSize: far / 14, gapSize: far / 20 })
      : new LineBasicMaterial({ color: colour });
    const out = new LineSegments(g, material);
    out.computeLineDistances();
    out.frustumCulled = false;
    return out;
  }

  $effect(() => {
    void [loaded, size];
    if (!ready) return;
    const hidden = new Set((scene.proxies ?? []).filter((p) => p.hidden).map((p) => p.id));
    const cast = desk.station === 'cast' || desk.station === 'move' || desk.station === 'deliver';
    stage.show(open.proxies, {
      picture: cast && (desk.station !== 'cast' || desk.picture) && loaded > 0,
      wire:
        desk.station === 'block' ||
        desk.station === 'sight' ||
        desk.station === 'still' ||
        (desk.station === 'cast' && desk.wire),
      selected: desk.selected,
      hidden,
    });
    for (const old of [...cameras.children] as Line[]) {
      cameras.remove(old);
      old.geometry.dispose();
    }
    if (sighted) {
      paper.throwFrom(sighted, scene.lantern?.edge === 'hold');
      const back = sighted.rotation[2];
      const reach = Math.max(2.2 * Math.abs(sighted.position[1]), 0.5);
      cameras.add(frustum(sighted, reach, '#4fc59a', false));
      if (open.shot && scene.move?.keys?.length) {
        const path = new BufferGeometry().setFromPoints(open.shot.position.map(vector));
        cameras.add(new Line(path, new LineBasicMaterial({ color: '#ffd166', depthTest: false })));
        cameras.add(frustum(shotAt(open.shot, desk.at, sighted), reach * 0.75, '#ffd166', true));
      }
      const [x, , z] = sighted.position;
      stage.layGrid('ground', [x - back[0] * 8, 0, z - back[2] * 8], 14, 1, true);
      if (!looked || settled !== lookedSettled) home();
    }
    stage.grid.visible = !!sighted;
    stage.box.visible = desk.testBox && settled && desk.station === 'sight';
    if (stage.box.visible) {
      stage.box.scale.set(...desk.check.box);
      stage.box.position.set(desk.boxAt?.[0] ?? 0, boxLevel(), desk.boxAt?.[1] ?? 0);
    }
    redraw();
  });

  /** From behind and above the sighted camera, looking at where it looks. */
  function home(plan = false) {
    if (!sighted || !controls) return;
    looked = true;
    lookedSettled = settled;
    const p = vector(sighted.position);
    const ahead = vector(sighted.rotation[2]).negate().setY(0).normalize();
    const h = Math.max(Math.abs(sighted.position[1]), 0.5);
    const middle = p
      .clone()
      .addScaledVector(ahead, 5 * h)
      .setY(0);
    controls.target.copy(middle);
    if (plan) eye.position.copy(middle).add(new Vector3(0.001, 22 * h, 0.01));
    else
      eye.position
        .copy(p)
        .addScaledVector(ahead, -8 * h)
        .add(new Vector3(0, 9 * h, 0))
        .addScaledVector(ahead.cross(new Vector3(0, 1, 0)), -6 * h);
    controls.update();
    redraw();
  }

  $effect(() => {
    const { digest, width, height } = scene.plate;
    void paper.load(plateAddress(open.state!.id, digest, 2048), width, height).then(
      () => loaded++,
      () => {},
    );
  });

  onMount(() => {
    renderer = new WebGLRenderer({ canvas, antialias: true });
    renderer.outputColorSpace = 'srgb-linear';
    renderer.setClearColor('#2b2b2b');
    controls = new OrbitControls(eye, pane);
    controls.addEventListener('change', redraw);
    controls.maxDistance = 4000;
    const watch = new ResizeObserver(([e]) => {
      // whole pixels, so that the canvas and what is worked out for it agree
      const { width, height } = e.contentRect;
      size = [Math.max(Math.floor(width), 1), Math.max(Math.floor(height), 1)];
    });
    watch.observe(pane);
    ready = true;
    return () => {
      watch.disconnect();
      cancelAnimationFrame(drawn);
      controls?.dispose();
      stage.dispose();
      paper.dispose();
      renderer?.dispose();
      renderer = null;
    };
  });

  function rayAt(e: PointerEvent): Raycaster {
    const r = pane.getBoundingClientRect();
    const ray = new Raycaster();
    ray.setFromCamera(
      new Vector2(
        ((e.clientX - r.left) / r.width) * 2 - 1,
        1 - ((e.clientY - r.top) / r.height) * 2,
      ),
      eye,
    );
    return ray;
  }
  const floorAt = (ray: Raycaster, level: number) =>
    ray.ray.intersectPlane(new Plane(new Vector3(0, 1, 0), -level), new Vector3());

  function down(e: PointerEvent) {
    if (e.button !== 0 || (desk.station !== 'block' && desk.station !== 'cast')) return;
    const ray = rayAt(e);
    const id = ray.intersectObjects(stage.pickable, false)[0]?.object.name;
    if (!id) return;
    if (desk.station === 'block' && desk.selected === id && !id.startsWith('backdrop')) {
      const proxy = scene.proxies?.find((p) => p.id === id);
      const level = proxy && 'level_m' in proxy ? (proxy.level_m ?? 0) : 0;
      const from = floorAt(ray, level);
      if (from && controls) {
        controls.enabled = false;
        sliding = { id, level, from, moved: false };
        pane.setPointerCapture(e.pointerId);
      }
    }
    desk.selected = id;
  }
  const slide = (e: PointerEvent) => {
    const to = sliding && floorAt(rayAt(e), sliding.level);
    if (!sliding || !to) return null;
    const ends = [sliding.from, to].map((p) => ({
      origin: [p.x, p.y + 1, p.z] as [number, number, number],
      direction: [0, -1, 0] as [number, number, number],
    }));
    return {
      change: { verb: 'Slide' as const, proxy: sliding.id, start: ends[0], end: ends[1] },
      to,
    };
  };
  function move(e: PointerEvent) {
    const s = slide(e);
    if (!s || !sliding) return;
    sliding.moved = true;
    stage.nudge(sliding.id, s.to.x - sliding.from.x, s.to.z - sliding.from.z);
    redraw();
    open.try(s.change);
  }
  function up(e: PointerEvent) {
    const s = slide(e);
    if (s && sliding?.moved) void open.keep(s.change);
    end();
  }
  function end() {
    sliding = null;
    if (controls) controls.enabled = true;
  }
  /** The pointer was taken away in the middle of a slide: the proxy stays where it was. */
  function lost() {
    if (!sliding) return;
    stage.nudge(sliding.id, 0, 0);
    end();
    open.drop();
    redraw();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  bind:this={pane}
  class="relative h-full w-full touch-none overflow-hidden bg-[#2b2b2b]"
  role="application"
  aria-label="Walk view"
  tabindex="0"
  onpointerdowncapture={down}
  onpointermove={move}
  onpointerup={up}
  onpointercancel={lost}
  onlostpointercapture={lost}
  onmousedown={(e) => {
    e.preventDefault();
    pane.focus();
  }}
>
  <canvas
    bind:this={canvas}
    class="absolute top-0 left-0 block"
    style="width: {size[0]}px; height: {size[1]}px"
  ></canvas>
  {#if tag && sighted && settled}
    <span
      class="num pointer-events-none absolute text-[12px] whitespace-nowrap"
      style="left: {Math.min(tag.x + 9, size[0] - 58)}px; top: {tag.y + 6}px"
      >{plain(sighted.position[1])} m</span
    >
  {/if}
  {#if !sighted}
    <p class="pointer-events-none absolute inset-x-4 top-1/2 text-center text-quiet">
      The scene can be walked round once a camera is sighted.
    </p>
  {/if}
  <div class="pointer-events-none absolute top-2 right-2 left-2 flex justify-between">
    <span class="chip">Walk</span>
    <span
      class="pointer-events-auto flex gap-1.5"
      onpointerdowncapture={(e) => e.stopPropagation()}
    >
      <button class="chip" disabled={!sighted} onclick={() => home(true)}>Plan</button>
      <button class="chip" disabled={!sighted} onclick={() => home()}>Behind</button>
    </span>
  </div>
</div>
