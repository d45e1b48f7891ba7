/** Standing proxies, and taking hold of those that stand. */
import { desk } from '../../lib/desk.svelte';
import { project } from '../../lib/project.svelte';
import { onLevel, type Point } from '../../views/camera';
import { far, type Hand } from '../../views/hand';
import type { Change } from '../../lib/api/client';
import { sightHand } from '../sight/hand.svelte';

export type Kind = 'floor' | 'card' | 'box' | 'drum';
const FEET: Record<Kind, number> = { floor: 2, card: 2, box: 3, drum: 2 };

/** What to pick next, in words. */
export const ASKS: Record<Kind, string[]> = {
  floor: ['Pick one corner on the ground.', 'Pick the corner across from it.'],
  card: ['Pick one end of its foot.', 'Pick the other end.', 'Pick its top; Enter takes 2.4 m.'],
  box: [
    'Pick the front left corner of its foot.',
    'Pick the front right corner.',
    'Pick how deep it goes, on the ground.',
    'Pick its top; Enter takes 1 m.',
  ],
  drum: [
    'Pick the left of its foot.',
    'Pick the right of its foot.',
    'Pick its top; Enter takes 1 m.',
  ],
};

interface Held {
  id: string;
  role: string;
  from: Point;
  to: Point;
}

class BlockHand implements Hand {
  picks = $state.raw<Point[]>([]);
  hover = $state.raw<Point | null>(null);
  held = $state.raw<Held | null>(null);
  #before: { picks: Point[]; selected: string | null } = { picks: [], selected: null };

  get kind(): Kind | null {
    return desk.tool in FEET ? (desk.tool as Kind) : null;
  }
  get loupe(): Point | null {
    return this.kind ? this.hover : this.held && this.held.role !== 'body' ? this.held.to : null;
  }

  down(at: Point, grip: string | null, body: string | null): boolean {
    this.#before = { picks: this.picks, selected: desk.selected };
    if (this.kind) {
      this.#pick(at);
      return true;
    }
    if (grip) {
      const [id, role] = grip.split('|');
      this.held = { id, role, from: at, to: at };
      return true;
    }
    desk.selected = body;
    if (!body || body.startsWith('backdrop')) return false;
    this.held = { id: body, role: 'body', from: at, to: at };
    return true;
  }

  move(at: Point, pressed: boolean) {
    this.hover = at;
    const kind = this.kind;
    if (kind) {
      const change = this.#standing([...this.picks, at]);
      if (change) project.try(change);
      return;
    }
    if (!this.held || !pressed) return;
    this.held = { ...this.held, to: at };
    const change = this.#change();
    if (change) project.try(change);
  }

  up(at: Point) {
    const last = this.picks[this.picks.length - 1];
    if (this.kind && last && this.picks.length < FEET[this.kind] && far(last, at) > 15) {
      this.#pick(at); // pressed, drawn and let go: two picks in one
      return;
    }
    const change = this.held && far(this.held.from, this.held.to) > 0.5 ? this.#change() : null;
    const mine = this.held;
    const letGo = () => {
      if (this.held === mine) this.held = null; // a new drag may have begun meanwhile
    };
    if (change) void project.keep(change).finally(letGo);
    else {
      letGo();
      if (!this.kind) project.drop();
    }
  }

  /** Stand it with the usual height, without picking a top. */
  accept() {
    if (this.kind && this.picks.length === FEET[this.kind]) this.#stand(this.picks);
  }

  cancel() {
    this.picks = [];
    this.held = null;
    project.drop();
  }

  abandon() {
    if (this.kind) this.picks = this.#before.picks;
    desk.selected = this.#before.selected;
    this.held = null;
    project.drop();
  }

  /** How far a slide has come on the floor, for drawing at once: across and along, metres. */
  get slid(): [string, number, number] | null {
    const h = this.held;
    const camera = project.reading?.camera;
    if (!h || !camera || (h.role !== 'body' && h.role !== 'foot')) return null;
    const proxy = project.scene?.proxies?.find((p) => p.id === h.id);
    const level = proxy && 'level_m' in proxy ? proxy.level_m : 0;
    const [a, b] = [onLevel(camera, h.from, level), onLevel(camera, h.to, level)];
    return a && b ? [h.id, b[0] - a[0], b[1] - a[1]] : null;
  }

  #pick(at: Point) {
    const picks = [...this.picks, sightHand.caught(at)]; // a corner marked in Sight holds it
    const need = FEET[this.kind!] + (this.kind === 'floor' ? 0 : 1);
    if (picks.length >= need) this.#stand(picks);
    else this.picks = picks;
  }

  #stand(picks: Point[]) {
    const change = this.#standing(picks);
    if (!change) return;
    const kind = this.kind;
    this.picks = [];
    desk.tool = 'none';
    void project.keep(change).then((kept) => {
      if (kept) desk.selected = project.scene?.proxies?.at(-1)?.id ?? null;
      else if (desk.tool === 'none') {
        desk.tool = kind!; // so that only the last pick has to be made again
        this.picks = picks.slice(0, -1);
      }
    });
  }

  #standing(points: Point[]): Change | null {
    const kind = this.kind;
    if (!kind || points.length < FEET[kind]) return null;
    const feet = points.slice(0, FEET[kind]);
    const top = kind === 'floor' ? null : (points[FEET[kind]] ?? null);
    return { verb: 'Stand', kind, feet, top };
  }

  #change(): Change | null {
    const h = this.held;
    if (!h) return null;
    const proxy = h.id;
    if (h.role === 'body' || h.role === 'foot')
      return { verb: 'Slide', proxy, start: h.from, end: h.to };
    if (h.role === 'top') return { verb: 'Raise', proxy, to: h.to };
    if (h.role === 'turn') return { verb: 'Swing', proxy, start: h.from, end: h.to };
    return { verb: 'PullCorner', proxy, corner: Number(h.role.slice(7)), to: h.to };
  }
}

export const blockHand = new BlockHand();
