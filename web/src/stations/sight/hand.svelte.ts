/** Tracing, and taking hold of what has been traced. */
import { desk } from '../../lib/desk.svelte';
import { project } from '../../lib/project.svelte';
import { onLevel, type Point } from '../../views/camera';
import { far, type Hand } from '../../views/hand';
import type { Change } from '../../lib/api/client';

type Held =
  | { kind: 'trace'; id: string; end: number; to: Point }
  | { kind: 'tape'; id: string; end: number; to: Point }
  | { kind: 'datum'; to: Point }
  | { kind: 'box' };

class SightHand implements Hand {
  draft = $state.raw<{ from: Point; to: Point } | null>(null);
  held = $state.raw<Held | null>(null);
  settling = $state.raw<{ from: Point; to: Point } | null>(null); // drawn until it is kept
  hover = $state.raw<Point | null>(null);
  fresh = $state<string | null>(null); // a tape just laid, whose length is wanted

  get loupe(): Point | null {
    if (this.draft) return this.draft.to;
    if (this.held && this.held.kind !== 'box') return this.held.to;
    return null;
  }

  down(at: Point, grip: string | null): boolean {
    const inside = this.#clamp(at);
    if (desk.tool === 'trace' || desk.tool === 'tape') {
      if (this.draft) this.#finish(inside);
      else this.draft = { from: inside, to: inside };
      return true;
    }
    if (desk.tool === 'datum') {
      this.held = { kind: 'datum', to: inside };
      return true;
    }
    if (!grip) return false;
    const [id, part] = grip.split('|');
    if (id === 'box') {
      this.held = { kind: 'box' };
      return true;
    }
    if (id === 'datum') {
      this.held = { kind: 'datum', to: at };
      return true;
    }
    desk.selected = id;
    if (part !== 'line') {
      const kind = id.startsWith('tape') ? 'tape' : 'trace';
      if (project.scene?.sighting?.locked)
        project.say('The sighting is locked. Unlock it in the tray to change it.');
      else this.held = { kind, id, end: Number(part), to: at };
    }
    return true;
  }

  move(at: Point, pressed: boolean) {
    const inside = this.#clamp(at);
    this.hover = inside;
    if (this.draft) {
      this.draft = { ...this.draft, to: inside };
      const change = this.#drawn();
      if (change) project.try(change);
      return;
    }
    if (!this.held || !pressed) return;
    if (this.held.kind === 'box') {
      const camera = project.reading?.camera;
      desk.boxAt = (camera && onLevel(camera, at)) ?? desk.boxAt;
      return;
    }
    this.held = { ...this.held, to: inside };
    const change = this.#change();
    if (change) project.try(change);
  }

  up(at: Point) {
    if (this.draft) {
      if (far(this.draft.from, this.#clamp(at)) > 12) this.#finish(this.#clamp(at));
      return;
    }
    const change = this.#change();
    if (this.held?.kind === 'datum') desk.tool = 'none';
    const mine = this.held;
    const letGo = () => {
      if (this.held === mine) this.held = null; // a new drag may have begun meanwhile
    };
    if (change) void project.keep(change).finally(letGo);
    else letGo();
  }

  cancel() {
    this.draft = null;
    this.held = null;
    project.drop();
  }

  #drawn(): Change | null {
    const d = this.draft;
    if (!d || far(d.from, d.to) < 3) return null;
    const points: [Point, Point] = [d.from, d.to];
    if (desk.tool === 'trace') return { verb: 'AddTrace', heading: desk.heading, points };
    return { verb: 'AddTape', points, length_m: this.#guess(points) };
  }

  #change(): Change | null {
    const h = this.held;
    if (!h || h.kind === 'box') return null;
    if (h.kind === 'datum') return { verb: 'SetDatum', point: h.to };
    if (h.kind === 'trace') return { verb: 'MoveTraceEnd', trace: h.id, end: h.end, to: h.to };
    const tape = project.scene?.sighting?.tapes?.find((t) => t.id === h.id);
    if (!tape) return null;
    const points: [Point, Point] = [...tape.points];
    points[h.end] = h.to;
    return { verb: 'AlterTape', tape: h.id, points };
  }

  #finish(at: Point) {
    this.draft = { ...this.draft!, to: at };
    const change = this.#drawn();
    const mine = (this.settling = change ? this.draft : null);
    this.draft = null;
    if (!change) {
      project.drop();
      return;
    }
    const next = project.scene?.next_id ?? 0;
    const tape = change.verb === 'AddTape';
    if (tape) desk.tool = 'none';
    void project.keep(change).then((kept) => {
      if (this.settling === mine) this.settling = null;
      if (kept && tape) desk.selected = this.fresh = `tape-${next}`;
    });
  }

  /** What a new tape is taken to measure until it is told: what the scale says, or a metre. */
  #guess(points: [Point, Point]): number {
    const r = project.reading;
    const [a, b] = points.map((p) => (r?.settled && r.camera ? onLevel(r.camera, p) : null));
    const length = a && b ? Math.hypot(a[0] - b[0], a[1] - b[1]) : 0;
    return length > 0.01 ? Math.round(length * 100) / 100 : 1;
  }

  #clamp([x, y]: Point): Point {
    const plate = project.scene?.plate;
    if (!plate) return [x, y];
    return [Math.min(Math.max(x, 0), plate.width), Math.min(Math.max(y, 0), plate.height)];
  }
}

export const sightHand = new SightHand();
