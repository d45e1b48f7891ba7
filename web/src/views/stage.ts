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
  type Material,
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

  /** A metre grid on the ground round a middle; Across solid, Away in long dashes. */
  layGrid(x: number, z: number, half: number, step: number, depthTest: boolean) {
    for (const old of [...this.grid.children] as LineSegments[]) {
      this.grid.remove(old);
      old.geometry.dispose();
      (old.material as Material).dispose();
    }
    const cx = Math.round(x / step) * step;
    const cz = Math.round(z / step) * step;
    const across: number[] = [];
    const away: number[] = [];
    for (let i = -half; i <= half; i++) {
      const d = i * step;
      const e = half * step;
      across.push(cx - e, 0, cz + d, cx + e, 0, cz + d);
      away.push(cx + d, 0, cz - e, cx + d, 0, cz + e);
    }
    const lines = (points: number[], material: LineBasicMaterial) => {
      const g = new BufferGeometry();
      g.setAttribute('position', new BufferAttribute(new Float32Array(points), 3));
      const l = new LineSegments(g, material);
      l.frustumCulled = false;
      l.computeLineDistances();
      return l;
    };
    const style = { transparent: true, opacity: 0.4, depthTest };
    this.grid.add(
      lines(across, new LineBasicMaterial({ color: COLOURS.across, ...style })),
      lines(
        away,
        new LineDashedMaterial({
          color: COLOURS.away,
          dashSize: 0.5 * step,
          gapSize: 0.2 * step,
          ...style,
        }),
      ),
    );
  }

  dispose() {
    for (const [id, s] of this.#stood) this.#drop(id, s);
    this.box.geometry.dispose();
  }
}
