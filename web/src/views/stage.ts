/** What both views show of the scene: proxies with their wire, a grid, the test box. */
import {
  BoxGeometry,
  ColorManagement,
  DoubleSide,
  EdgesGeometry,
  FrontSide,
  Group,
  InstancedMesh,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  PerspectiveCamera,
  Points,
  PointsMaterial,
  Scene,
  SphereGeometry,
  Vector3,
  BufferGeometry,
  type Material,
  type ShaderMaterial,
  type WebGLRenderer,
} from 'three';
import type { Taken, TakenPart } from '../lib/api/client';
import { partOf, type Place } from '../project/guests';
import type { Shape } from '../project/known';
import { ClearPieces, type Sheet } from './clear';
import { cutBy, type Casters } from './dress';
import { letGo, take } from './geometry';
import { layGrid } from './grid';
import { aim } from './camera';
import { isPlain } from './layers';
import { marbleMaterial, seenThrough, shadedMaterial } from './shades';
import { depthMaterial, nearestMaterial, type Lamp } from './lamp';
import type { Paper } from './paper';
import type { Grid, Layer, MarblesShown, Slid, TestBox } from './station';

// colours are drawn as they are written, and the plate's numbers as they are in the file
ColorManagement.enabled = false;

interface Body {
  shape: Shape;
  group: Group;
  faces: Mesh;
  layers: Mesh[]; // what is cast, the lowest first
  laid: string; // which lanterns they are of
  sheets: Sheet[]; // those of its faces that can be clear somewhere
  unsorted: boolean; // it can be clear, and has too many faces to be drawn from the farthest on
  front: LineSegments;
  behind: LineSegments;
  pins: Points | null; // at the corners of what is glazed
}

export interface Appearance {
  layers: readonly Layer[];
  takes: Map<string, Taken>;
  only?: string[] | null; // proxies that are shown alone
  chosen: (id: string) => boolean;
  under?: string | null; // the proxy under the pointer
  grow?: number; // how much larger than they are marbles are drawn, looked at from far
  pins?: boolean; // those of what is glazed are shown also without its wire
}

/** What is drawn in which turn, by the bits of three's layers. own: what a view adds to the scene. */
const BITS = { own: 0, faces: 1, cast: 2, wire: 3, grid: 4, box: 5, marbles: 6 };

/** Clear faces of a body up to which they are drawn in order; to sort more takes seconds. */
const MOST_SORTED = 6000;
/** Of more proxies than these only the selection and what is under the pointer stands out. */
const FEW_WIRES = 12;

const line = (colour: string, opacity: number, depthTest: boolean) =>
  new LineBasicMaterial({ color: colour, transparent: true, opacity, depthTest });

export class Stage {
  readonly scene = new Scene();
  readonly bodies = new Group();
  readonly grid = new Group();
  readonly box: LineSegments;
  readonly marbles = new InstancedMesh(new SphereGeometry(1, 10, 8), marbleMaterial(), 1000);
  #shaded = shadedMaterial();
  #pieces = new ClearPieces();
  #laid = ''; // what of it was laid, and where it stands
  #nearest = nearestMaterial();
  #depth = depthMaterial();
  #lantern = new PerspectiveCamera();
  #bodies = new Map<string, Body>();
  #only = new MeshBasicMaterial({ colorWrite: false, polygonOffset: true, polygonOffsetFactor: 1 });
  #lines = {
    front: line('#4fc59a', 0.95, true),
    behind: line('#4fc59a', 0.22, false),
    rest: line('#4fc59a', 0.5, true),
    restBehind: line('#4fc59a', 0.07, false),
    chosen: line('#ffd166', 1, true),
    chosenBehind: line('#ffd166', 0.45, false),
  };
  #pinned = new PointsMaterial({ color: '#dff3ff', size: 5, sizeAttenuation: false });
  #grid = '';

  constructor(readonly paper: Paper) {
    this.#only.side = DoubleSide;
    this.box = new LineSegments(
      new EdgesGeometry(new BoxGeometry(1, 1, 1).translate(0, 0.5, 0)),
      line('#ffd166', 1, false),
    );
    this.box.renderOrder = 3;
    this.marbles.count = 0;
    this.marbles.frustumCulled = false;
    this.box.layers.set(BITS.box);
    this.marbles.layers.set(BITS.marbles);
    this.scene.add(this.bodies, this.#pieces.group, this.grid, this.box, this.marbles);
  }

  /** Say where the scene is looked at from, before it is drawn: what can be clear is drawn from the
   *  farthest to the nearest. */
  seenFrom(camera: PerspectiveCamera) {
    if (!this.#pieces.group.visible) return;
    const there = [...this.#bodies.values()].filter((b) => b.group.visible && b.sheets.length);
    const laid = JSON.stringify(
      there.map((b) => [b.shape.mesh.digest, b.laid, b.group.matrix.elements]),
    );
    if (laid !== this.#laid) {
      this.#pieces.lay(there.flatMap((b) => b.sheets));
      for (const piece of this.#pieces.group.children) piece.layers.set(BITS.cast);
    }
    this.#laid = laid;
    this.#pieces.seenFrom(new Vector3().setFromMatrixPosition(camera.matrixWorld));
  }

  /** Take on the proxies' shapes. Only what has changed is made anew. */
  show(proxies: Place['proxies'], shapes: Map<string, Shape>, look: Appearance) {
    for (const [id, body] of this.#bodies) if (!shapes.has(id)) this.#drop(id, body);
    for (const shape of shapes.values()) {
      const body = this.#bodies.get(shape.id);
      if (body?.shape === shape) continue;
      if (body && body.shape.mesh !== shape.mesh) this.#drop(shape.id, body);
      const mine = this.#bodies.get(shape.id) ?? this.#add(shape);
      mine.shape = shape;
      place(mine.group, shape.frame);
    }
    const cast = look.layers.find((layer) => layer.of === 'cast');
    const shade = look.layers.find((layer) => layer.of === 'shade');
    const wire = look.layers.some((layer) => layer.of === 'wire');
    const through = (cast ?? shade)?.through ?? 0;
    const solid = !!cast && through === 0;
    const faces = solid ? this.#depth : shade && !cast ? this.#shaded : this.#only;
    const strength = 1 - through;
    const side = (cast ?? shade)?.backs === false ? FrontSide : DoubleSide;
    this.paper.show(cast ? strength : 1, cast ? side : DoubleSide);
    seenThrough(this.#shaded, strength, side);
    this.#depth.side = side;
    const only = look.only && new Set(look.only);
    const many = proxies.length > FEW_WIRES;
    for (const proxy of proxies) {
      const { id, hidden } = proxy;
      const body = this.#bodies.get(id);
      if (!body) continue;
      const chosen = look.chosen(id);
      body.group.visible = !hidden && (!only || only.has(id));
      body.faces.material = faces as Material;
      if (cast) this.#lay(body, look.takes.get(id)?.parts ?? [], cast.lit ?? null);
      const covers = solid && !body.sheets.length && !body.unsorted;
      // what hangs before or round the lens would only shade everything
      body.faces.visible = covers || (!cast && (!shade || !('distance_m' in proxy)));
      for (const layer of body.layers) layer.visible = !!cast && !(solid && layer.userData.clear);
      body.front.visible = body.behind.visible = wire || chosen;
      if (body.pins) body.pins.visible = look.pins || body.front.visible;
      const { front, behind, rest, restBehind } = this.#lines;
      const recedes = many && id !== look.under;
      body.front.material = chosen ? this.#lines.chosen : recedes ? rest : front;
      body.behind.material = chosen ? this.#lines.chosenBehind : recedes ? restBehind : behind;
    }
    this.#pieces.group.visible = solid;
    for (const layer of look.layers) {
      if (layer.of === 'box') this.#showBox(layer.box);
      if (layer.of === 'marbles') this.#showMarbles(layer.marbles, look.grow ?? 1);
    }
  }

  /** Whether more than one thing is mixed in a pixel. */
  mixes(layers: readonly Layer[]): boolean {
    const clear = this.#pieces.group.visible && [...this.#bodies.values()].some((b) => b.sheets[0]);
    return clear || !layers.every(isPlain);
  }

  /** Draw a run of layers, and with them what a view adds of its own. */
  draw(renderer: WebGLRenderer, camera: PerspectiveCamera, run: readonly Layer[], own = false) {
    const kinds = new Set(run.map((layer) => layer.of));
    const cast = run.find((layer) => layer.of === 'cast');
    camera.layers.disableAll();
    for (const [kind, bit] of Object.entries(BITS))
      if (kinds.has(kind as Layer['of'])) camera.layers.enable(bit);
    if (own) [BITS.own, BITS.wire, BITS.grid].forEach((bit) => camera.layers.enable(bit));
    if (own || cast || kinds.has('shade') || kinds.has('wire')) camera.layers.enable(BITS.faces);
    renderer.render(this.scene, camera);
  }

  /** Draw a proxy where a hand has slid it, ahead of any answer. from: its shape before. */
  slide({ id, dx, dz }: Slid, from: Shape | undefined) {
    const body = this.#bodies.get(id);
    if (body && from) place(body.group, from.frame, dx, dz);
  }

  /** Put every proxy back where its shape says. */
  settle(id: string) {
    const body = this.#bodies.get(id);
    if (body) place(body.group, body.shape.frame);
  }

  showGrid(grid: Grid | null | undefined, reach: number, depthTest: boolean) {
    this.grid.visible = !!grid;
    const now = JSON.stringify([grid, reach]);
    if (grid && now !== this.#grid) {
      layGrid(this.grid, grid, reach, depthTest);
      this.grid.traverse((part) => part.layers.set(BITS.grid));
    }
    if (grid) this.#grid = now;
  }

  #showBox(box: TestBox) {
    this.box.position.set(...box.at);
    this.box.scale.set(...box.size);
  }

  #showMarbles({ places, radius }: MarblesShown, grow: number) {
    const count = places.length / 3;
    this.marbles.count = count;
    const at = new Matrix4();
    for (let i = 0; i < count; i++) {
      const [x, y, z] = places.subarray(3 * i, 3 * i + 3);
      const r = grow * radius;
      at.makeScale(r, r, r).setPosition(x, y, z);
      this.marbles.setMatrixAt(i, at);
    }
    this.marbles.instanceMatrix.needsUpdate = true;
  }

  /** Meshes that can be picked. */
  get pickable(): Mesh[] {
    return [...this.#bodies.values()].filter((b) => b.group.visible).map((b) => b.faces);
  }

  dispose() {
    for (const [id, body] of this.#bodies) this.#drop(id, body);
    this.#pieces.clear();
    this.box.geometry.dispose();
    this.marbles.geometry.dispose();
    this.marbles.dispose();
    this.#pinned.dispose();
    this.#shaded.dispose();
    this.#nearest.dispose();
    this.#depth.dispose();
  }

  #add(shape: Shape): Body {
    const { faces, wire, glazed } = take(shape.mesh);
    const body: Body = {
      shape,
      group: new Group(),
      faces: new Mesh(faces, this.#only),
      layers: [],
      laid: '',
      sheets: [],
      unsorted: false,
      front: new LineSegments(wire, this.#lines.front),
      behind: new LineSegments(wire, this.#lines.behind),
      pins: glazed ? new Points(wire, this.#pinned) : null,
    };
    body.faces.name = shape.id;
    body.faces.renderOrder = -1;
    body.front.renderOrder = 2;
    body.behind.renderOrder = 1;
    for (const part of [body.faces, body.front, body.behind]) part.frustumCulled = false;
    for (const part of [body.front, body.behind]) part.layers.set(BITS.wire);
    body.faces.layers.set(BITS.faces);
    body.group.matrixAutoUpdate = false;
    body.group.add(body.faces, body.front, body.behind);
    if (body.pins) {
      body.pins.frustumCulled = false;
      body.pins.renderOrder = 3;
      body.pins.layers.set(BITS.wire);
      body.group.add(body.pins);
    }
    this.bodies.add(body.group);
    this.#bodies.set(shape.id, body);
    return body;
  }

  /** Lay a proxy's lanterns over one another: the last beneath, hatched where none reaches. */
  #lay(body: Body, parts: TakenPart[], lit: string | null) {
    const there = (part: TakenPart) =>
      part.lanterns.filter((l) => this.paper.lamps.has(l) && (!lit || l === lit));
    const soft = (l: string) => this.paper.lamps.get(l)!.canBeClear;
    const laid = JSON.stringify(
      parts.map((p) => [there(p), there(p).map(soft), p.triangles ?? null]),
    );
    if (laid === body.laid && body.layers.length) return;
    this.#clear(body);
    body.laid = laid;
    for (const part of parts.length ? parts : [{ lanterns: [] } as TakenPart]) {
      const geometry = part.triangles
        ? some(body.faces.geometry, part.triangles)
        : body.faces.geometry;
      const lamps = there(part)
        .map((l) => this.paper.lamps.get(l)!)
        .reverse();
      // one that is opaque, or hatched where it does not reach, lets nothing behind it be seen
      const clear = lamps.length > 0 && lamps.every((lamp) => lamp.canBeClear);
      // what carries its picture along has no relief
      const bumpy = body.shape.mesh.rest ? [] : part.lanterns;
      const of = [this.paper, partOf(body.shape.id), bumpy] as const;
      if (clear && lamps.length === 1 && geometry.attributes.position.count > 3 * MOST_SORTED) {
        const layer = new Mesh(geometry, lamps[0].clear);
        layer.frustumCulled = false;
        layer.layers.set(BITS.cast);
        layer.renderOrder = 0.45;
        layer.onBeforeRender = taking(...of);
        body.unsorted = true;
        body.layers.push(layer);
        body.group.add(layer);
        continue;
      }
      if (clear)
        body.sheets.push({
          faces: geometry,
          at: body.group.matrix,
          lamps,
          before: lamps.some((lamp) => lamp.shown?.mixing === 'lighten')
            ? mixing(...of)
            : taking(...of),
        });
      const stack = [(lamps[0] ?? this.paper.dark).whole, ...lamps.slice(1).map((l) => l.over)];
      stack.forEach((material, k) => {
        const layer = new Mesh(geometry, material);
        layer.frustumCulled = false;
        layer.layers.set(BITS.cast);
        layer.renderOrder = k ? 0.1 + 0.01 * k : 0;
        layer.onBeforeRender = taking(...of);
        layer.userData.own = !!part.triangles && !k;
        layer.userData.clear = clear;
        body.layers.push(layer);
        body.group.add(layer);
      });
    }
  }

  #clear(body: Body) {
    for (const layer of body.layers) {
      body.group.remove(layer);
      if (layer.userData.own) layer.geometry.dispose();
    }
    body.layers = [];
    body.sheets = [];
    body.unsorted = false;
  }

  /** Find out what lanterns meet first that land on nothing else: of what takes them. */
  lookFrom(renderer: WebGLRenderer, takes: Map<string, Taken>) {
    let bodies: string | null = null;
    for (const [id, lamp] of this.paper.lamps) {
      if (!lamp.shown || lamp.shown.through || lamp.shown.laid) continue;
      // drawn anew only where something else stands there, or the lantern does: not in every paint
      bodies ??= `${numberOf(takes)} ${this.#standing()}`;
      const of = `${JSON.stringify(lamp.shown.camera)} ${bodies}`;
      if (lamp.sightOf === of) continue;
      lamp.sightOf = of;
      const target = lamp.sight();
      const shown = [...this.#bodies.values()].filter((body) => body.faces.visible);
      for (const body of this.#bodies.values())
        body.faces.visible = (takes.get(body.shape.id)?.parts ?? []).some((p) =>
          p.lanterns.includes(id),
        );
      const { width, height } = lamp.shown.camera;
      aim(this.#lantern, lamp.shown.camera, { x: 0, y: 0, zoom: 1, width, height });
      this.#lantern.layers.set(BITS.faces);
      this.scene.overrideMaterial = this.#nearest;
      const was = renderer.getRenderTarget();
      renderer.setRenderTarget(target);
      renderer.setClearColor(0x000000, 0);
      renderer.clear();
      renderer.render(this.scene, this.#lantern);
      renderer.setRenderTarget(was);
      this.scene.overrideMaterial = null;
      for (const body of this.#bodies.values()) body.faces.visible = shown.includes(body);
    }
  }

  /** What casts shadows: all that stands there and is shown, and what lights name although it is
   *  hidden. */
  casters(named: ReadonlySet<string>): Casters {
    const all = [...this.#bodies.values()];
    const bodies = all.filter(({ group, shape }) => group.visible || named.has(shape.id));
    const hidden = bodies.filter((body) => !body.group.visible);
    const corners = new Float64Array(
      bodies.reduce((n, body) => n + body.faces.geometry.attributes.position.array.length, 0),
    );
    const p = new Vector3();
    let at = 0;
    for (const body of bodies) {
      const { position } = body.faces.geometry.attributes;
      for (let i = 0; i < position.count; i++, at += 3)
        p.fromBufferAttribute(position, i).applyMatrix4(body.group.matrix).toArray(corners, at);
    }
    const draw: Casters['draw'] = (renderer, camera, material, only) => {
      const shown = bodies.filter((body) => body.faces.visible);
      const named = bodies.filter((body) => only.includes(partOf(body.shape.id)));
      camera.layers.set(BITS.faces);
      this.scene.overrideMaterial = material;
      for (const body of hidden) body.group.visible = true;
      const drawn = (some: Body[], cut: Lamp | null) => {
        for (const body of bodies) body.faces.visible = some.includes(body);
        cutBy(material, cut);
        renderer.render(this.scene, camera);
      };
      drawn(
        named.filter((body) => !cutOf(body)),
        null,
      );
      for (const body of named) if (cutOf(body)) drawn([body], cutOf(body));
      this.scene.overrideMaterial = null;
      for (const body of bodies) body.faces.visible = shown.includes(body);
      for (const body of hidden) body.group.visible = false;
    };
    const cuts = bodies.flatMap((body) => cutOf(body)?.looks ?? []);
    const standing = `${bodies.map((b) => b.shape.id)} ${this.#standing()} ${cuts}`;
    return { corners, standing, draw };
  }

  /** What stands where, to be compared. */
  #standing(): string {
    const of = (body: Body) => `${body.shape.mesh.digest}:${body.group.matrix.elements.join()}`;
    return [...this.#bodies].map(([id, body]) => `${id} ${of(body)}`).join(';');
  }

  #drop(id: string, body: Body) {
    this.#clear(body);
    this.bodies.remove(body.group);
    letGo(body.shape.mesh);
    this.#bodies.delete(id);
  }
}

/** The picture that is laid on a body and lets light through, by which its shadow is cut out. */
function cutOf(body: Body): Lamp | null {
  const lamp = body.sheets[0]?.lamps[0];
  return lamp?.shown?.laid && lamp.canBeClear ? lamp : null;
}

/** Say before a mesh is drawn what its proxy takes of light and haze: the materials are shared. */
const taking =
  (paper: Paper, proxy: string, lanterns: readonly string[]): Mesh['onBeforeRender'] =>
  (_renderer, _scene, _camera, _geometry, material) => {
    if (!paper.dressing.shown) return;
    paper.dressing.take(
      proxy,
      lanterns.flatMap((id) => paper.lamps.get(id)?.shown ?? []),
    );
    (material as ShaderMaterial).uniformsNeedUpdate = true;
  };

/** The same of what lightens: what is behind it is drawn by then. */
const mixing = (
  paper: Paper,
  proxy: string,
  lanterns: readonly string[],
): Mesh['onBeforeRender'] => {
  const take = taking(paper, proxy, lanterns);
  return (renderer, scene, camera, geometry, material, group) => {
    paper.mixInto(renderer);
    (material as ShaderMaterial).uniformsNeedUpdate = true;
    take(renderer, scene, camera, geometry, material, group);
  };
};

const numbers = new WeakMap<object, number>();
let counted = 0;
/** A number that an object keeps, for it to be told from others. */
function numberOf(one: object): number {
  const known = numbers.get(one) ?? counted++;
  numbers.set(one, known);
  return known;
}

function place(group: Group, frame: readonly number[], dx = 0, dz = 0) {
  const [a, b, c, x, d, e, f, y, g, h, i, z] = frame;
  // prettier-ignore
  group.matrix.set(a, b, c, x + dx, d, e, f, y, g, h, i, z + dz, 0, 0, 0, 1);
  group.matrixWorldNeedsUpdate = true;
}

/** Some of a geometry's triangles, sharing its points. */
function some(of: BufferGeometry, triangles: readonly number[]): BufferGeometry {
  const out = new BufferGeometry();
  for (const name of Object.keys(of.attributes)) out.setAttribute(name, of.attributes[name]);
  out.setIndex(triangles.flatMap((t) => [3 * t, 3 * t + 1, 3 * t + 2]));
  return out;
}
