/** Standing proxies, and taking hold of those that stand. */
import { project } from '../../lib/project.svelte';
import { onLevel, type Point } from '../../views/camera';
import { caught, far, type Hand } from '../../views/hand';
import type { Slid } from '../../views/station';
import { selection, type Ref } from '../../lib/selection.svelte';
import { tool } from '../../lib/tool.svelte';
import type { Change } from '../../lib/api/client';
import { KINDS, type Kind } from './kinds';
import { levelOf } from './stood';

/** Screen pixels within which a pick takes a corner that was marked in Sight. */
const CATCH = 9;
/** Points of an outline at the least. */
const LEAST_ROUND = 3;

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
  free = $state(false); // the key that keeps a foot line off the headings is down
  zoom = 1;
  #before: { picks: Point[]; refs: Ref[] } = { picks: [], refs: [] };

  get kind(): Kind | null {
    const kind = KINDS.get(tool.name);
    return kind?.feet.length ? kind : null;
  }
  get loupe(): Point | null {
    return this.kind ? this.hover : this.held && this.held.role !== 'body' ? this.held.to : null;
  }

  down(at: Point, grip: string | null, bodyAt: () => string | null): boolean {
    this.#before = { picks: this.picks, refs: selection.refs };
    if (this.kind) {
      this.#pick(at);
      return true;
    }
    if (grip) {
      const [id, role] = grip.split('|');
      this.held = { id, role, from: at, to: at };
      return true;
    }
    const body = bodyAt();
    if (body) selection.choose('proxy', body);
    else selection.clear();
    if (!body || levelOf(body) === null) return false;
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
    if (this.kind && last && this.picks.length < this.kind.feet.length && far(last, at) > 15) {
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
    const { kind, picks } = this;
    if (!kind) return;
    const enough = kind.round ? picks.length >= LEAST_ROUND : picks.length === kind.feet.length;
    if (enough) this.#stand(picks);
  }

  cancel() {
    this.picks = [];
    this.held = null;
    project.drop();
  }

  abandon() {
    if (this.kind) this.picks = this.#before.picks;
    selection.refs = this.#before.refs;
    this.held = null;
    project.drop();
  }

  missed() {
    // a press beside everything has let go of the selection already
  }

  key(name: string, down: boolean) {
    if (name === 'Shift') this.free = down;
    if (name === 'Enter' && down) this.accept();
    // the last pick of an outline is taken back by itself
    if (name === 'Backspace' && down && this.kind) this.picks = this.picks.slice(0, -1);
  }

  /** How far a slide has come on the floor, for drawing at once. */
  get slid(): Slid | null {
    const h = this.held;
    const camera = project.reading?.camera;
    if (!h || !camera || (h.role !== 'body' && h.role !== 'foot')) return null;
    const level = levelOf(h.id) ?? 0;
    const [a, b] = [onLevel(camera, h.from, level), onLevel(camera, h.to, level)];
    return a && b ? { id: h.id, dx: b[0] - a[0], dz: b[1] - a[1] } : null;
  }

  #pick(at: Point) {
    const marked = (project.reading?.corners ?? []).flatMap((c) => (c.at ? [c.at as Point] : []));
    const picks = [...this.picks, caught(at, marked, CATCH / this.zoom)];
    const { feet, top, round } = this.kind!;
    if (round) {
      const closes = this.picks.length >= LEAST_ROUND && far(picks[0], at) * this.zoom < CATCH;
      if (closes) this.#stand(this.picks);
      else this.picks = picks;
    } else if (picks.length >= feet.length + (top ? 1 : 0)) this.#stand(picks);
    else this.picks = picks;
  }

  #stand(picks: Point[]) {
    const change = this.#standing(picks);
    if (!change) return;
    const kind = tool.name;
    this.picks = [];
    tool.putDown();
    void project.keep(change).then((kept) => {
      const last = project.scene?.proxies.at(-1);
      if (kept && last) selection.choose('proxy', last.id);
      else if (!kept && tool.name === 'none') {
        tool.name = kind; // so that only the last pick has to be made again
        this.picks = picks.slice(0, -1);
      }
    });
  }

  #standing(points: Point[]): Change | null {
    const kind = this.kind;
    if (!kind || points.length < kind.feet.length) return null;
    const feet = points.slice(0, kind.feet.length);
    if (kind.round) {
      if (points.length < LEAST_ROUND) return null;
      return {
        verb: 'CutOutline',
        feet: [points[0], points[1]],
        outline: points,
        thickness_m: 0,
        holes: [],
      };
    }
    const top = kind.top ? (points[kind.feet.length] ?? null) : null;
    return { verb: 'Stand', kind: kind.kind, feet, top, along: this.free ? 'free' : null };
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
