/** Taking hold of proxies in the walk view: slid over their floor, or part by part. */
import type { Part, Pointed } from '../../lib/api/client';
import { project } from '../../project/project.svelte';
import { selection } from '../../project/selection.svelte';
import type { Point3, WalkHand, WorldRay } from '../../views/hand';
import type { Slid } from '../../views/station';
import { parts } from './parts.svelte';
import { underPointer } from './pointed.svelte';
import { pull } from './pull';
import { show } from './show.svelte';
import { levelOf } from './stood';

/** Pixels of the lens: the walk view is wider, so a part is meant from further off. */
const MEANT = 26;

interface Sliding {
  id: string;
  level: number;
  from: Point3;
  to: Point3 | null;
}

interface Pulled {
  from: WorldRay;
  to: WorldRay;
  found: Pointed | null;
  off: boolean;
}

/** Where a ray meets a level. */
function onLevel({ origin, direction }: WorldRay, level: number): Point3 | null {
  const t = (level - origin[1]) / direction[1];
  return t > 0 ? [origin[0] + t * direction[0], level, origin[2] + t * direction[2]] : null;
}

class BlockWalkHand implements WalkHand {
  #held = $state.raw<Sliding | null>(null);
  #pulled: Pulled | null = null;

  get slid(): Slid | null {
    const h = this.#held;
    return h?.to ? { id: h.id, dx: h.to[0] - h.from[0], dz: h.to[2] - h.from[2] } : null;
  }

  /** The first press selects; what is selected can be slid. Parts are taken at once. */
  down(ray: WorldRay, body: string) {
    if (show.parts) {
      const mine = (this.#pulled = { from: ray, to: ray, found: null, off: false } as Pulled);
      void underPointer.ask(ray, MEANT, body).then((found) => {
        if (found?.part) parts.choose(found);
        if (this.#pulled !== mine) return;
        mine.found = found;
        if (mine.off) this.#letGoPart();
      });
      return true;
    }
    const level = levelOf(body);
    const from = selection.has('proxy', body) && level !== null ? onLevel(ray, level) : null;
    if (!selection.has('proxy', body)) selection.choose('proxy', body);
    if (!from || level === null) return false;
    this.#held = { id: body, level, from, to: null };
    return true;
  }

  move(ray: WorldRay) {
    if (this.#pulled) {
      this.#pulled.to = ray;
      const change = this.#pulling();
      if (change) project.try(change);
      return;
    }
    const h = this.#held;
    const to = h && onLevel(ray, h.level);
    if (!h || !to) return;
    this.#held = { ...h, to };
    const change = this.#change();
    if (change) project.try(change);
  }

  up(ray: WorldRay) {
    if (this.#pulled) {
      Object.assign(this.#pulled, { to: ray, off: true });
      if (this.#pulled.found) this.#letGoPart();
      return;
    }
    this.move(ray);
    const change = this.#change();
    const mine = this.#held;
    const letGo = () => {
      if (this.#held === mine) this.#held = null; // a new drag may have begun meanwhile
    };
    if (change) void project.keep(change).finally(letGo);
    else letGo();
  }

  abandon() {
    this.#held = this.#pulled = null;
    project.drop();
  }

  #pulling() {
    const { found, from, to } = this.#pulled!;
    if (!found?.proxy || !found.part || from === to) return null;
    const change = pull(found.proxy, found.part as Part, from, to, MEANT / 2);
    // on a face's plane nothing is seen well from aside: here a part goes freely
    return change.verb === 'PullPart' && show.along === 'auto'
      ? { ...change, along: 'view' as const, face: null }
      : change;
  }

  #letGoPart() {
    const change = this.#pulling();
    this.#pulled = null;
    if (change) void project.keep(change);
    else project.drop();
  }

  #change() {
    const h = this.#held;
    if (!h?.to) return null;
    const [start, end] = [h.from, h.to].map(([x, y, z]) => ({
      origin: [x, y + 1, z] as Point3,
      direction: [0, -1, 0] as Point3,
    }));
    return { verb: 'Slide' as const, proxy: h.id, start, end };
  }
}

export const blockWalkHand = new BlockWalkHand();
