/** Standing proxies, picking places, and taking hold of what stands: whole, or part by part. */
import type { Change, Part, Pointed } from '../../lib/api/client';
import { project } from '../../project/project.svelte';
import { selection, type Ref } from '../../project/selection.svelte';
import { tool } from '../../project/tool.svelte';
import { inWorld, onLevel, project as seen, type Point } from '../../views/camera';
import { caught, far, type Hand } from '../../views/hand';
import type { Slid } from '../../views/station';
import { hinge, SWINGING } from './hinge.svelte';
import { parts } from './parts.svelte';
import { pickingOf, type Picking } from './picking';
import { underPointer } from './pointed.svelte';
import { pull } from './pull';
import { show } from './show.svelte';
import { levelOf } from './stood';

/** Screen pixels within which a pick takes a corner that was marked in Sight, and within which a
 *  corner or edge is meant, an edge of the picture pulls, and what is pulled comes to rest. */
const [CATCH, MEANT, PULLS, RESTS] = [9, 9, 7, 9];

interface Held {
  id: string;
  role: string;
  from: Point;
  to: Point;
}

/** A part that is being taken hold of: found is null until the core has told which it is. */
interface Pulled {
  from: Point;
  to: Point;
  found: Pointed | null;
  off: boolean; // it has been let go meanwhile
}

interface Sweep {
  from: Point;
  to: Point;
}

class BlockHand implements Hand {
  picks = $state.raw<Point[]>([]);
  hover = $state.raw<Point | null>(null);
  held = $state.raw<Held | null>(null);
  pulled = $state.raw<Pulled | null>(null);
  sweep = $state.raw<Sweep | null>(null);
  free = $state(false); // the key that keeps a foot line off the headings is down
  zoom = 1;
  /** The next picks lie on a curve; a key switches it. */
  curving = $state(false);
  #beside = new Set<number>();
  #curved = new Set<number>();
  #before: { picks: Point[]; refs: Ref[] } = { picks: [], refs: [] };

  get picking(): Picking | null {
    return pickingOf(tool.name);
  }
  get loupe(): Point | null {
    if (this.picking) return this.hover;
    if (this.pulled && far(this.pulled.from, this.pulled.to) > 1) return this.pulled.to;
    return this.held && this.held.role !== 'body' ? this.held.to : null;
  }
  /** What is asked for next. */
  get asks(): string | null {
    const picking = this.picking;
    return picking ? (picking.asks[this.picks.length] ?? picking.more ?? null) : null;
  }

  down(at: Point, grip: string | null, bodyAt: () => string | null): boolean {
    this.#before = { picks: this.picks, refs: selection.refs };
    if (this.picking) {
      this.#pick(at);
      return true;
    }
    const swung = tool.name === SWINGING && selection.one('proxy');
    if (swung) {
      this.held = { id: swung, role: 'edge', from: at, to: at };
      return true;
    }
    if (grip && !show.parts) {
      const [id, role] = grip.split('|');
      this.held = { id, role, from: at, to: at };
      return true;
    }
    const body = bodyAt();
    if (show.parts) return this.#takePart(at, body);
    if (this.free) {
      // with Shift: one more, or a sweep over several
      if (body) selection.add('proxy', body);
      this.sweep = { from: at, to: at };
      return true;
    }
    if (!body) selection.clear();
    else if (!selection.has('proxy', body)) selection.choose('proxy', body);
    if (!body || levelOf(body) === null) return false;
    this.held = { id: body, role: 'body', from: at, to: at };
    return true;
  }

  /** Take hold of the face, edge or corner at a place. Which one it is comes with the answer. */
  #takePart(at: Point, body: string | null): boolean {
    const was = selection.one('proxy');
    if (!body && !was) return false;
    const mine: Pulled = { from: at, to: at, found: null, off: false };
    this.pulled = mine;
    void underPointer.ask(at, MEANT / this.zoom, was).then((found) => {
      if (!found?.part) {
        if (this.pulled?.from === at) this.pulled = null;
        parts.clear();
        if (body) selection.choose('proxy', body);
        else selection.clear();
        return;
      }
      parts.choose(found);
      if (this.pulled?.from !== at) return;
      this.pulled = { ...this.pulled, found };
      if (this.pulled.off) this.#letGoPart();
    });
    return true;
  }

  move(at: Point, pressed: boolean) {
    this.hover = at;
    if (this.picking) {
      const change = this.picking.looks ? null : this.#change([...this.picks, at]);
      if (change && this.picks.length + 1 >= this.picking.enough) project.try(change);
      if (!pressed) this.#look(at);
      return;
    }
    if (this.sweep && pressed) {
      this.sweep = { ...this.sweep, to: at };
      return;
    }
    if (this.pulled && pressed) {
      this.pulled = { ...this.pulled, to: at };
      const change = this.#pulling();
      if (change) project.try(change);
      return;
    }
    if (!this.held || !pressed) {
      if (show.parts) this.#look(at);
      return;
    }
    this.held = { ...this.held, to: at };
    const change = this.#dragged();
    if (change) project.try(change);
  }

  #look(at: Point) {
    underPointer.look(at, MEANT / this.zoom, show.parts ? selection.one('proxy') : null);
  }

  up(at: Point) {
    const picking = this.picking;
    const last = this.picks[this.picks.length - 1];
    const drawn = picking && this.picks.length < (picking.drawn ?? picking.asks.length);
    if (drawn && last && far(last, at) > 15) {
      this.#pick(at); // pressed, drawn and let go: two picks in one
      return;
    }
    if (this.sweep) {
      this.#swept();
      return;
    }
    if (this.pulled) {
      this.pulled = { ...this.pulled, to: at, off: true };
      if (this.pulled.found) this.#letGoPart();
      return;
    }
    const change = this.held && far(this.held.from, this.held.to) > 0.5 ? this.#dragged() : null;
    const mine = this.held;
    const letGo = () => {
      if (this.held === mine) this.held = null; // a new drag may have begun meanwhile
    };
    if (change) void project.keep(change).finally(letGo);
    else {
      letGo();
      if (!picking) project.drop();
    }
  }

  /** Everything whose middle lies in the swept rectangle is selected too. */
  #swept() {
    const { from, to } = this.sweep!;
    this.sweep = null;
    const camera = project.reading?.camera;
    if (!camera || far(from, to) * this.zoom < 6) return;
    const [x0, x1] = [Math.min(from[0], to[0]), Math.max(from[0], to[0])];
    const [y0, y1] = [Math.min(from[1], to[1]), Math.max(from[1], to[1])];
    const inside = [...project.shapes.values()].filter((shape) => {
      const p = seen(camera, middleOf(shape.mesh.points, shape.frame));
      return p && p[0] >= x0 && p[0] <= x1 && p[1] >= y0 && p[1] <= y1;
    });
    selection.chooseAll('proxy', [
      ...new Set([...selection.all('proxy'), ...inside.map((s) => s.id)]),
    ]);
  }

  #letGoPart() {
    const mine = this.pulled!;
    const change = far(mine.from, mine.to) * this.zoom > 3 ? this.#pulling() : null;
    const done = () => {
      if (this.pulled === mine) this.pulled = null;
    };
    if (change) void project.keep(change).finally(done);
    else {
      done();
      project.drop();
    }
  }

  #pulling(): Change | null {
    const { found, from, to } = this.pulled!;
    if (!found?.proxy || !found.part) return null;
    return pull(found.proxy, found.part as Part, from, to, RESTS / this.zoom);
  }

  /** Make the change with the picks there are: stand it with the usual height, close an outline. */
  accept() {
    if (this.picking && this.picks.length >= this.picking.enough) this.#make(this.picks);
  }

  cancel() {
    this.#begin();
    this.held = this.pulled = this.sweep = null;
    project.drop();
  }

  #begin(picks: Point[] = []) {
    this.picks = picks;
    if (picks.length) return;
    [this.#beside, this.#curved] = [new Set(), new Set()];
    this.curving = false;
  }

  abandon() {
    if (this.picking) this.picks = this.#before.picks;
    selection.refs = this.#before.refs;
    this.held = this.pulled = this.sweep = null;
    project.drop();
  }

  missed() {
    // a press beside everything has let go of the selection already
  }

  key(name: string, down: boolean) {
    if (name === 'Shift') this.free = down;
    if (name === 'c' && down && this.picking?.closes) this.curving = !this.curving;
    if (name === 'Enter' && down) this.accept();
    // the last pick of an outline is taken back by itself
    if (name === 'Backspace' && down && this.picking) this.picks = this.picks.slice(0, -1);
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
    const picking = this.picking!;
    const closes = picking.closes && this.picks.length >= picking.enough;
    if (closes && far(this.picks[0], at) * this.zoom < CATCH) {
      this.#make(this.picks);
      return;
    }
    const marked = (project.reading?.corners ?? []).flatMap((c) => (c.at ? [c.at as Point] : []));
    if (this.free) this.#beside.add(this.picks.length);
    if (this.curving) this.#curved.add(this.picks.length);
    const picks = [...this.picks, caught(at, marked, CATCH / this.zoom)];
    if (picks.length >= picking.most) this.#make(picks);
    else {
      this.picks = picks;
      const change = picking.looks && picks.length >= picking.enough ? this.#change(picks) : null;
      if (change) project.try(change);
    }
  }

  #make(picks: Point[]) {
    const change = this.#change(picks);
    if (!change) return;
    const name = tool.name;
    const stands = !('proxy' in change) && change.verb !== 'ReadOff';
    const [beside, curved] = [this.#beside, this.#curved];
    this.#begin();
    tool.putDown();
    void project.keep(change).then((kept) => {
      const last = project.scene?.proxies.at(-1);
      if (kept && last && stands) selection.choose('proxy', last.id);
      else if (kept)
        parts.clear(); // its numbers may be another's now
      else if (tool.name === 'none') {
        tool.name = name; // so that only the last pick has to be made again
        this.#begin(picks.slice(0, -1));
        [this.#beside, this.#curved] = [beside, curved];
      }
    });
  }

  #change(picks: Point[]): Change | null {
    const picking = this.picking;
    if (!picking || picks.length < picking.enough) return null;
    const held = {
      free: this.free,
      beside: this.#beside,
      curved: this.#curved,
      reach: PULLS / this.zoom,
    };
    return picking.change(picks, held);
  }

  #dragged(): Change | null {
    const h = this.held;
    if (!h) return null;
    const proxy = h.id;
    if (h.role === 'body' || h.role === 'foot')
      return { verb: 'Slide', proxy, start: h.from, end: h.to };
    if (h.role === 'top') return { verb: 'Raise', proxy, to: h.to };
    if (h.role === 'edge')
      return {
        verb: 'SwingOnEdge',
        proxy,
        start: h.from,
        end: h.to,
        side: hinge.side,
        step_deg: this.free ? 15 : 0,
      };
    if (h.role === 'turn')
      return { verb: 'Swing', proxy, start: h.from, end: h.to, step_deg: this.free ? 15 : 0 };
    return { verb: 'PullCorner', proxy, corner: Number(h.role.slice(7)), to: h.to };
  }
}

/** The middle of a mesh's bounds, in the world. */
function middleOf(points: Float32Array, frame: readonly number[]): number[] {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < points.length; i++) {
    low[i % 3] = Math.min(low[i % 3], points[i]);
    high[i % 3] = Math.max(high[i % 3], points[i]);
  }
  return inWorld(
    frame,
    low.map((v, i) => (v + high[i]) / 2),
  );
}

export const blockHand = new BlockHand();
