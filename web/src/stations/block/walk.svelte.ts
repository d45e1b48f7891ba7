/** Sliding a proxy over its floor in the walk view. */
import { project } from '../../lib/project.svelte';
import { selection } from '../../lib/selection.svelte';
import type { Place, WalkHand, WorldRay } from '../../views/hand';
import type { Slid } from '../../views/station';
import { levelOf } from './stood';

interface Sliding {
  id: string;
  level: number;
  from: Place;
  to: Place | null;
}

/** Where a ray meets a level. */
function onLevel({ origin, direction }: WorldRay, level: number): Place | null {
  const t = (level - origin[1]) / direction[1];
  return t > 0 ? [origin[0] + t * direction[0], level, origin[2] + t * direction[2]] : null;
}

class BlockWalkHand implements WalkHand {
  #held = $state.raw<Sliding | null>(null);

  get slid(): Slid | null {
    const h = this.#held;
    return h?.to ? { id: h.id, dx: h.to[0] - h.from[0], dz: h.to[2] - h.from[2] } : null;
  }

  /** The first press selects; what is selected can be slid. */
  down(ray: WorldRay, body: string) {
    const level = levelOf(body);
    const from = selection.has('proxy', body) && level !== null ? onLevel(ray, level) : null;
    selection.choose('proxy', body);
    if (!from || level === null) return false;
    this.#held = { id: body, level, from, to: null };
    return true;
  }

  move(ray: WorldRay) {
    const h = this.#held;
    const to = h && onLevel(ray, h.level);
    if (!h || !to) return;
    this.#held = { ...h, to };
    const change = this.#change();
    if (change) project.try(change);
  }

  up(ray: WorldRay) {
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
    this.#held = null;
    project.drop();
  }

  #change() {
    const h = this.#held;
    if (!h?.to) return null;
    const [start, end] = [h.from, h.to].map(([x, y, z]) => ({
      origin: [x, y + 1, z] as Place,
      direction: [0, -1, 0] as Place,
    }));
    return { verb: 'Slide' as const, proxy: h.id, start, end };
  }
}

export const blockWalkHand = new BlockWalkHand();
