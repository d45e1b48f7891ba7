<script lang="ts">
  /** A free look round the scene. Nothing here changes the sighting or the shot. */
  import { onMount } from 'svelte';
  import {
    Box3,
    BufferGeometry,
    Group,
    Line,
    LineBasicMaterial,
    LineSegments,
    MOUSE,
    PerspectiveCamera,
    Points,
    PointsMaterial,
    Raycaster,
    Vector2,
    Vector3,
    type Material,
    type WebGLRenderer,
  } from 'three';
  import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
  import { playhead } from '../project/playhead.svelte';
  import { project as open } from '../project/project.svelte';
  import { withGuests } from '../project/guests';
  import { lanternsAt, shapesAt } from '../project/times';
  import { selection } from '../project/selection.svelte';
  import { windows } from '../project/windows.svelte';
  import { plain } from '../lib/words';
  import { inWorld as inPlace, sizeOf, vector } from './camera';
  import { frustum } from './frustum';
  import type { Point3, WorldRay } from './hand';
  import type { Paper } from './paper';
  import type { Plate } from './plate';
  import type { Plates } from './plates';
  import type { Region, Screen } from './screen';
  import { pathOf, shotAt } from './shot';
  import { runsOf } from './layers';
  import { Stage } from './stage';
  import type { Station, WalkLine } from './station';
  import Press from '../lib/Press.svelte';

  let {
    station,
    screen,
    paper,
    plate,
    arrived,
    plates,
  }: {
    station: Station;
    screen: Screen;
    paper: Paper;
    plate: Plate;
    plates: Plates;
    arrived: number;
  } = $props();

  const LOUD = 0.25; // the hatching of what no picture reaches stands back here
  const GRID_REACH = 14;
  const FROM_FAR = 2.5; // times as large as they are marbles are drawn
  const SIGHTS = 24; // lines of sight of one proxy at the most
  const MARK_PX = 10; // from the pointer, within which a mark is taken hold of
  const FLAT_FOV = 3; // degrees: so narrow, from so far away, that plan, front and side look flat
  const FROM = [
    ['plan', 'Plan'],
    ['front', 'Front'],
    ['side', 'Side'],
    ['behind', 'Behind'],
  ] as const;
  let pane: HTMLDivElement;
  let size = $state.raw<[number, number]>([1, 1]);
  let tag = $state.raw<{ x: number; y: number } | null>(null);
  let region = $state.raw<Region | null>(null);

  // svelte-ignore state_referenced_locally
  const stage = new Stage(paper);
  const cameras = new Group();
  stage.scene.add(cameras);
  const eye = new PerspectiveCamera(45, 1, 0.05, 20000);
  let controls: OrbitControls | null = null;
  let looked = false;
  let lookedSettled = false; // a world that has just got its size is looked at anew
  let holding = false; // a hand of the station has hold of something

  const scene = $derived(open.scene!);
  const draws = $derived(station.draws());
  const sighted = $derived(open.reading?.camera ?? null);
  const settled = $derived(open.reading?.settled ?? false);

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

  /** What is pressed is looked for as the view stands now, not as it was last painted. */
  function aim() {
    eye.aspect = size[0] / size[1];
    const reach = sighted ? sizeOf(sighted) : 1;
    // seen flat from far away, what is near the camera is as far as all else
    const away = eye.fov === FLAT_FOV ? eye.position.distanceTo(controls!.target) : 0;
    [eye.near, eye.far] = [Math.max(0.03 * reach, 0.2 * away), 12_000 * reach];
    eye.updateProjectionMatrix();
    eye.updateMatrixWorld();
  }

  function paint(renderer: WebGLRenderer) {
    if (!region) return;
    aim();
    plates.throwFrom(place.lanterns);
    // haze is as the shot camera sees it
    paper.dressIn(draws.dress ? { ...draws.dress, haze: null } : null);
    paper.dressing.look(renderer, (named) => stage.casters(named));
    stage.lookFrom(renderer, place.takes);
    stage.seenFrom(eye);
    paper.seenBy(eye, ...region.place.size, LOUD);
    const on = region;
    const runs = runsOf(draws.walk);
    // what is this view's own is drawn with the last of them
    (runs.length ? runs : [[]]).forEach((run, k, { length }) =>
      on.layers.put(run[0] ?? {}, () => stage.draw(renderer, eye, run, k === length - 1)),
    );
    if (!sighted) return;
    const p = vector(sighted.position).project(eye);
    tag = p.z < 1 ? { x: ((p.x + 1) / 2) * size[0], y: ((1 - p.y) / 2) * size[1] } : null;
  }

  $effect(() => {
    void [arrived, size, region, place, draws.dress];
    plates.throwFrom(place.lanterns);
    stage.show(place.proxies, place.shapes, {
      pins: true,
      layers: plate.ready ? draws.walk : draws.walk.filter((layer) => layer.of !== 'cast'),
      takes: place.takes,
      grow: FROM_FAR,
      only: draws.only,
      chosen: (id) => selection.has('proxy', id),
    });
    const slid = draws.slid;
    if (slid) stage.slide(slid, open.state?.shapes.get(slid.id));
    if (region) region.deep = stage.mixes(draws.walk);
    region?.redraw();
    return () => {
      if (slid) stage.settle(slid.id);
    };
  });

  $effect(() => {
    for (const old of [...cameras.children] as Line[]) {
      cameras.remove(old);
      old.geometry.dispose();
      (old.material as Material).dispose();
    }
    if (sighted) {
      const back = sighted.rotation[2];
      const reach = 2.2 * sizeOf(sighted);
      cameras.add(frustum(sighted, reach, '#4fc59a', false));
      cameras.add(linesOfSight(sighted.position, selection.all('proxy')));
      if (open.shot && open.keys.length) {
        const path = new BufferGeometry().setFromPoints(
          pathOf(open.shot).map(([x, y, z]) => new Vector3(x, y, z)),
        );
        cameras.add(new Line(path, new LineBasicMaterial({ color: '#ffd166', depthTest: false })));
        const shot = shotAt(open.shot, playhead.at, sighted);
        cameras.add(frustum(shot, reach * 0.75, '#ffd166', true));
        for (const line of draws.lines ?? []) drawLine(line);
        if (draws.lines?.length)
          for (const end of [0, open.shot.frames - 1])
            cameras.add(frustum(shotAt(open.shot, end, sighted), reach * 0.3, '#ffd166', false));
      }
      const [x, , z] = sighted.position;
      const at: Point3 = [x - back[0] * 8, 0, z - back[2] * 8];
      stage.showGrid({ plane: 'ground', at, spacing: 1 }, GRID_REACH, true);
      if (region && (!looked || settled !== lookedSettled)) home();
    } else stage.showGrid(null, GRID_REACH, true);
    region?.redraw();
  });

  function drawLine({ points, colour, line, dots }: WalkLine) {
    const places = new BufferGeometry().setFromPoints(points.map((p) => new Vector3(...p)));
    if (line)
      cameras.add(new Line(places, new LineBasicMaterial({ color: colour, depthTest: false })));
    if (!dots) return;
    const ratio = window.devicePixelRatio;
    const shown = { color: colour, size: dots * ratio, sizeAttenuation: false, depthTest: false };
    cameras.add(new Points(places, new PointsMaterial(shown)));
  }

  /** From the lens through every corner of what is selected, and on behind it. */
  function linesOfSight(eyeAt: readonly number[], ids: string[]): LineSegments {
    const ends: Vector3[] = [];
    const from = vector(eyeAt);
    for (const shape of ids.slice(0, 8).flatMap((id) => open.shapes.get(id) ?? [])) {
      const { points } = shape.mesh;
      for (let i = 0; i < Math.min(points.length, 3 * SIGHTS); i += 3) {
        const at = vector(inPlace(shape.frame, points.subarray(i, i + 3) as never));
        ends.push(from, at.clone().sub(from).multiplyScalar(1.6).add(from));
      }
    }
    const material = new LineBasicMaterial({
      color: '#ffd166',
      transparent: true,
      opacity: 0.35,
      depthTest: false,
    });
    return new LineSegments(new BufferGeometry().setFromPoints(ends), material);
  }

  /** Look from behind and above the sighted camera at where it looks; or, from so far away that it
   *  is as good as flat, straight down, along Away or along Across. What is selected is looked at
   *  where something is. */
  function home(from: 'behind' | 'plan' | 'front' | 'side' | 'path' = 'behind') {
    if (!sighted || !controls) return;
    if (from === 'path') return alongPath();
    looked = true;
    lookedSettled = settled;
    const p = vector(sighted.position);
    const ahead = vector(sighted.rotation[2]).negate().setY(0).normalize();
    const h = sizeOf(sighted);
    const flat = from !== 'behind';
    const chosen = selection.all('proxy').flatMap((id) => open.shapes.get(id)?.frame ?? []);
    const middle =
      flat && chosen.length >= 12
        ? new Vector3(chosen[3], chosen[7] + h / 2, chosen[11])
        : p
            .clone()
            .addScaledVector(ahead, 5 * h)
            .setY(0);
    controls.target.copy(middle);
    controls.enableRotate = !flat;
    controls.mouseButtons.LEFT = flat ? MOUSE.PAN : MOUSE.ROTATE;
    eye.fov = flat ? FLAT_FOV : 45;
    const far = (18 * h * 45) / FLAT_FOV;
    if (from === 'plan') eye.position.copy(middle).add(new Vector3(0, far, far * 1e-4));
    else if (from === 'front') eye.position.copy(middle).add(new Vector3(0, 0, far));
    else if (from === 'side') eye.position.copy(middle).add(new Vector3(far, 0, 0));
    else
      eye.position
        .copy(p)
        .addScaledVector(ahead, -8 * h)
        .add(new Vector3(0, 9 * h, 0))
        .addScaledVector(ahead.cross(new Vector3(0, 1, 0)), -6 * h);
    controls.update();
    region?.redraw();
  }

  /** Look at the shot's path from aside and above, so near that it fills the view. */
  function alongPath() {
    const [camera, shot] = [sighted, open.shot];
    if (!camera || !controls || !shot) return;
    const box = new Box3().setFromPoints(pathOf(shot).map(([x, y, z]) => new Vector3(x, y, z)));
    const middle = box.getCenter(new Vector3());
    const far = Math.max(box.getSize(new Vector3()).length() * 1.6, 0.8 * sizeOf(camera));
    const right = vector(camera.rotation[0]);
    const back = vector(camera.rotation[2]);
    controls.enableRotate = true;
    controls.mouseButtons.LEFT = MOUSE.ROTATE;
    eye.fov = 45;
    controls.target.copy(middle);
    eye.position
      .copy(middle)
      .addScaledVector(right, -0.8 * far)
      .addScaledVector(back, 0.35 * far)
      .add(new Vector3(0, 0.7 * far, 0));
    controls.update();
    region?.redraw();
  }

  onMount(() => {
    controls = new OrbitControls(eye, pane);
    controls.addEventListener('change', () => region?.redraw());
    controls.maxDistance = 40_000;
    const mine = screen.pane(pane, '#2b2b2b', paint, (s) => (size = s));
    region = mine.region;
    return () => {
      mine.leave();
      controls?.dispose();
      stage.dispose();
    };
  });

  function rayAt(e: PointerEvent): Raycaster {
    const r = pane.getBoundingClientRect();
    const x = ((e.clientX - r.left) / r.width) * 2 - 1;
    const y = 1 - ((e.clientY - r.top) / r.height) * 2;
    aim();
    const ray = new Raycaster();
    ray.layers.enableAll();
    ray.setFromCamera(new Vector2(x, y), eye);
    return ray;
  }
  /** The station's mark that is near the pointer. */
  function markAt(e: PointerEvent): string | null {
    const r = pane.getBoundingClientRect();
    let [best, least]: [string | null, number] = [null, MARK_PX];
    for (const { id, at } of station.walkHand?.marks?.() ?? []) {
      const p = vector(at).project(eye);
      const [x, y] = [((p.x + 1) / 2) * r.width, ((1 - p.y) / 2) * r.height];
      const off = Math.hypot(x - e.clientX + r.left, y - e.clientY + r.top);
      if (p.z < 1 && off < least) [best, least] = [id, off];
    }
    return best;
  }
  const inWorld = ({ ray }: Raycaster): WorldRay => ({
    origin: ray.origin.toArray(),
    direction: ray.direction.toArray(),
  });

  function down(e: PointerEvent) {
    if (e.button !== 0 || !station.walkHand) return;
    const ray = rayAt(e);
    const body = markAt(e) ?? ray.intersectObjects(stage.pickable, false)[0]?.object.name;
    if (!body || !station.walkHand.down(inWorld(ray), body)) return;
    holding = true;
    if (controls) controls.enabled = false;
    pane.setPointerCapture(e.pointerId);
  }
  function move(e: PointerEvent) {
    if (holding) station.walkHand?.move(inWorld(rayAt(e)));
    else if (station.walkHand?.marks) pane.style.cursor = markAt(e) ? 'grab' : '';
  }
  function letGo() {
    holding = false;
    if (controls) controls.enabled = true;
  }
  function up(e: PointerEvent) {
    if (!holding) return;
    letGo();
    station.walkHand?.up(inWorld(rayAt(e)));
  }
  /** The pointer was taken away in the middle of a drag: all stays where it was. */
  function lost(e: PointerEvent) {
    // a finger is caught by what it touches first, which loses it to the view
    if (!holding || (e.type === 'lostpointercapture' && e.target !== pane)) return;
    letGo();
    station.walkHand?.abandon();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  bind:this={pane}
  class="relative h-full w-full touch-none overflow-hidden"
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
  {#if tag && sighted && settled}
    <span
      class="num pointer-events-none absolute text-[12px] whitespace-nowrap"
      style="left: {Math.min(tag.x + 9, size[0] - 58)}px; top: {tag.y + 6}px"
      >{plain(sighted.position[1])} m</span
    >
  {/if}
  <div
    class="pointer-events-none absolute top-2 right-2 left-2 flex flex-wrap justify-between gap-1.5"
  >
    <Press
      kind="chip"
      class="pointer-events-auto"
      title="Double-click: everything for this view, and back"
      does="everything for the walk view, and back"
      ondblclick={() => windows.give('walk')}
      onpointerdowncapture={(e) => e.stopPropagation()}>Walk</Press
    >
    <span
      class="pointer-events-auto flex flex-wrap gap-1.5"
      onpointerdowncapture={(e) => e.stopPropagation()}
    >
      {#if draws.lines?.length}
        <Press kind="chip" title="The shot’s path" onclick={() => home('path')}>Path</Press>
      {/if}
      {#each FROM as [from, label] (from)}
        <Press kind="chip" disabled={!sighted} onclick={() => home(from)}>{label}</Press>
      {/each}
    </span>
  </div>
</div>
