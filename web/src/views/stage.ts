/** What both views show of the scene: proxies with their wire, the ground grid, the test box. */
import {
  BoxGeometry,
  BufferAttribute,
  BufferGeometry,
  ColorManagement,
  EdgesGeometry,
  Group,
  LineBasicMaterial,
  LineDashedMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  Scene,
  Vector2,
  type Material,
  type WebGLRenderer,
} from 'three';
import type { ProxyShown } from '../lib/api/client';
import { COLOURS } from '../lib/words';
import type { Paper } from './paper';

// colours are drawn as they are written, and the plate's numbers as they are in the file
ColorManagement.enabled = false;

interface Stood {
  from: ProxyShown;
  group: Group;
  body: Mesh;
  front: LineSegments;
  behind: LineSegments;
}

export interface Look {
  picture: boolean;
  wire: boolean;
  selected: string | null;
  hidden: Set<string>;
}

const wireOf = (colour: string, opacity: number, depthTest: boolean) =>
  new LineBasicMaterial({ color: colour, transparent: true, opacity, depthTest });

/** Give a renderer its size. Asking for the one it has would still throw its buffers away. */
export function resize(renderer: WebGLRenderer, [width, height]: readonly [number, number]) {
  const ratio = window.devicePixelRatio;
  const now = renderer.getSize(new Vector2());
  if (renderer.getPixelRatio() === ratio && now.x === width && now.y === height) return;
  renderer.setPixelRatio(ratio);
  renderer.setSize(width, height, false);
}

export class Stage {
  readonly scene = new Scene();
  readonly bodies = new Group();
  readonly grid = new Group();
  readonly box: LineSegments;
  #stood = new Map<string, Stood>();
  #only = new MeshBasicMaterial({ colorWrite: false, polygonOffset: true, polygonOffsetFactor: 1 });
  #lines = {
    front: wireOf('#4fc59a', 0.95, true),
    behind: wireOf('#4fc59a', 0.22, false),
    chosen: wireOf('#ffd166', 1, true),
    chosenBehind: wireOf('#ffd166', 0.45, false),
  };

  constructor(readonly paper: Paper) {
    this.#only.side = paper.cast.side;
    paper.cast.polygonOffset = true;
    paper.cast.polygonOffsetFactor = 1;
    this.box = new LineSegments(
      new EdgesGeometry(new BoxGeometry(1, 1, 1).translate(0, 0.5, 0)),
      wireOf('#ffd166', 1, false),
    );
    this.box.visible = false;
    this.box.renderOrder = 3;
    this.scene.add(this.bodies, this.grid, this.box);
  }

  /** Take on proxies, making anew only those that have changed. */
  show(proxies: ProxyShown[], look: Look) {
    const ids = new Set(proxies.map((p) => p.id));
    for (const [id, old] of this.#stood) if (!ids.has(id)) this.#drop(id, old);
    for (const p of proxies) {
      const old = this.#stood.get(p.id);
      if (old && old.from !== p) this.#drop(p.id, old);
      if (!old || old.from !== p) this.#add(p);
    }
    for (const [id, s] of this.#stood) {
      s.group.visible = !look.hidden.has(id);
      const chosen = look.selected === id;
      s.body.material = look.picture ? this.paper.cast : (this.#only as Material);
      s.front.visible = s.behind.visible = look.wire || chosen;
      s.front.material = chosen ? this.#lines.chosen : this.#lines.front;
      s.behind.material = chosen ? this.#lines.chosenBehind : this.#lines.behind;
      s.group.position.set(0, 0, 0);
    }
  }

  /** Move a proxy's drawing at once, ahead of the answer. */
  nudge(id: string, dx: number, dz: number) {
    this.#stood.get(id)?.group.position.set(dx, 0, dz);
  }

  #add(p: ProxyShown) {
    const points = new BufferAttribute(new Float32Array(p.points), 3);
    // each triangle with corners and a normal of its own: the shader needs its plane
    const whole = new BufferGeometry();
    whole.setAttribute('position', points);
    whole.setIndex(p.triangles);
    const faces = whole.toNonIndexed();
    faces.computeVertexNormals();
    whole.dispose();
    const wire = new BufferGeometry();
    wire.setAttribute('position', points);
    wire.setIndex(p.wire);
    const body = new Mesh(faces, this.paper.cast);
    body.name = p.id;
    body.frustumCulled = false;
    const front = new LineSegments(wire, this.#lines.front);
    const behind = new LineSegments(wire, this.#lines.behind);
    front.renderOrder = 2;
    behind.renderOrder = 1;
    front.frustumCulled = behind.frustumCulled = false;
    const group = new Group();
    group.add(body, front, behind);
    this.bodies.add(group);
    this.#stood.set(p.id, { from: p, group, body, front, behind });
  }

  #drop(id: string, s: Stood) {
    this.bodies.remove(s.group);
    s.body.geometry.dispose();
    s.front.geometry.dispose();
    this.#stood.delete(id);
  }

  /** Meshes that can be picked. */
  get pickable(): Mesh[] {
    return [...this.#stood.values()].filter((s) => s.group.visible).map((s) => s.body);
  }

  /** A grid in one of the world's planes through a place: on the ground or a level over it, or
   *  upright along Across or Away. Each line looks as its heading does. */
  layGrid(
    plane: 'ground' | 'across' | 'away',
    at: readonly [number, number, number],
    half: number,
    step: number,
    depthTest: boolean,
  ) {
    for (const old of [...this.grid.children] as LineSegments[]) {
      this.grid.remove(old);
      old.geometry.dispose();
      (old.material as Material).dispose();
    }
    const [first, second] = { ground: [0, 2], across: [0, 1], away: [2, 1] }[plane];
    const reach = half * step;
    const near = (k: number) => Math.round(at[k] / step) * step;
    const [left, right] = [near(first) - reach, near(first) + reach];
    const up = plane !== 'ground';
    const [low, high] = up ? [0, reach] : [near(second) - reach, near(second) + reach];
    const along: Record<number, number[]> = { 0: [], 1: [], 2: [] };
    const point = (a: number, b: number) => {
      const p = [...at];
      p[first] = a;
      p[second] = b;
      return p;
    };
    // in short pieces, so that only what is behind the camera is lost of a line
    for (let a = left; a <= right + step / 2; a += step)
      for (let b = low; b < high - step / 2; b += step)
        along[second].push(...point(a, b), ...point(a, b + step));
    for (let b = low; b <= high + step / 2; b += step)
      for (let a = left; a < right - step / 2; a += step)
        along[first].push(...point(a, b), ...point(a + step, b));
    const lines = (points: number[], material: LineBasicMaterial) => {
      const g = new BufferGeometry();
      g.setAttribute('position', new BufferAttribute(new Float32Array(points), 3));
      const l = new LineSegments(g, material);
      l.frustumCulled = false;
      l.computeLineDistances();
      return l;
    };
    const style = { transparent: true, opacity: depthTest ? 0.4 : 0.6, depthTest };
    const dashed = (color: string, on: number, off: number) =>
      new LineDashedMaterial({ color, dashSize: on * step, gapSize: off * step, ...style });
    if (along[0].length)
      this.grid.add(lines(along[0], new LineBasicMaterial({ color: COLOURS.across, ...style })));
    if (along[1].length) this.grid.add(lines(along[1], dashed(COLOURS.up, 0.35, 0.15)));
    if (along[2].length) this.grid.add(lines(along[2], dashed(COLOURS.away, 0.5, 0.2)));
  }

  dispose() {
    for (const [id, s] of this.#stood) this.#drop(id, s);
    this.box.geometry.dispose();
  }
}
