/** Drawing on the plate in Sight, and taking hold of what is drawn there. */
import { project } from '../../project/project.svelte';
import { onLevel, type Point } from '../../views/camera';
import { caught, far, type Hand } from '../../views/hand';
import { selection, type Ref } from '../../project/selection.svelte';
import { tool } from '../../project/tool.svelte';
import type { Change, Heading, ProposedEdge } from '../../lib/api/client';
import type { Scene } from '../../project/known';
import { checks } from './checks.svelte';
import { drawing } from './drawing.svelte';
import { aside, proposing } from './proposal.svelte';

type Eye = 'horizon' | 'tilt' | 'ground' | 'focal';
type Held =
  | { kind: 'trace'; id: string; end: number; to: Point }
  | { kind: 'tape'; id: string; end: number; to: Point }
  | { kind: 'rectangle'; id: string; end: number; to: Point }
  | { kind: 'datum'; to: Point }
  | { kind: 'eye'; what: Eye; from: Point; to: Point }
  | { kind: 'box' };
interface Nudge {
  what: Ref;
  by: Point;
}
/** How things were when a press began. */
interface Before {
  draft: { from: Point; to: Point } | null;
  corners: Point[];
  first: string | null;
  refs: Ref[];
  boxAt: [number, number] | null;
}
type Corners = [Point, Point, Point, Point];

/** Screen pixels within which a drawn line looks for the picture's edge, and a pick for a corner. */
const REACH = 4;
const CATCH = 9;
const BRUSH = 10;

class SightHand implements Hand {
  draft = $state.raw<{ from: Point; to: Point } | null>(null);
  corners = $state.raw<Point[]>([]); // of the rectangle being laid
  held = $state.raw<Held | null>(null);
  settling = $state.raw<{ from: Point; to: Point } | null>(null); // drawn until it is kept
  hover = $state.raw<Point | null>(null);
  swept = $state.raw<ProposedEdge[]>([]);
  first = $state<string | null>(null); // the first of the two traces that a corner is marked by
  fresh = $state<string | null>(null); // a tape just laid, whose length is wanted
  off = $state(false); // the key that holds a trace off the picture's edge is down
  zoom = 1;
  #sweeping = false;
  #moved = false;
  #nudge: Nudge | null = null; // not sent yet
  #before: Before | null = null; // the press that is under way

  get loupe(): Point | null {
    if (this.draft) return this.draft.to;
    if (tool.name === 'rectangle' || tool.name === 'datum') return this.hover;
    if (this.held && this.held.kind !== 'box' && this.held.kind !== 'eye') return this.held.to;
    return null;
  }

  down(at: Point, grip: string | null): boolean {
    const { draft, corners, first } = this;
    this.#before = { draft, corners, first, refs: selection.refs, boxAt: checks.boxAt };
    this.#moved = false;
    const inside = this.#clamp(at);
    const held = tool.name;
    if (held === 'trace' || held === 'tape') {
      if (this.draft) this.#finish(inside);
      else this.draft = { from: this.caught(inside), to: inside };
      return true;
    }
    if (held === 'rectangle') {
      this.#corner(this.caught(inside));
      return true;
    }
    if (held === 'datum') {
      this.held = { kind: 'datum', to: this.caught(inside) };
      return true;
    }
    if (held === 'take') {
      this.#sweeping = true;
      const meant = this.near(at); // a click takes what it is on, sorted or not
      this.swept = meant ? [meant] : [];
      this.#sweep(at);
      return true;
    }
    if (!grip) return this.#takeOne(at);
    // a grip names a kind, an id, and the part that is taken hold of
    const [kind, id, part] = grip.split('|');
    if (kind === 'box') {
      this.held = { kind: 'box' };
      return true;
    }
    if (kind === 'eye') {
      this.held = { kind: 'eye', what: part as Eye, from: at, to: at };
      return true;
    }
    if (kind === 'datum') {
      this.held = { kind: 'datum', to: at };
      return true;
    }
    if (held === 'corner') {
      if (kind === 'trace') this.#mark(id);
      return true;
    }
    if (!part) {
      selection.choose(kind, id);
      return true;
    }
    selection.choose(kind, id, Number(part));
    if (project.scene?.sighting.locked)
      project.say('The sighting is locked. Unlock it in the tray to change it.');
    else
      this.held = { kind: kind as 'trace' | 'tape' | 'rectangle', id, end: Number(part), to: at };
    return true;
  }

  move(at: Point, pressed: boolean) {
    const inside = this.#clamp(at);
    this.hover = inside;
    if (this.#sweeping && pressed) {
      this.#sweep(at);
      return;
    }
    if (this.draft) {
      const to = tool.name === 'tape' ? this.caught(inside) : inside;
      this.draft = { ...this.draft, to };
      const change = this.#drawn();
      if (change) project.try(change);
      return;
    }
    if (!this.held || !pressed) return;
    if (this.held.kind === 'box') {
      checks.slideBox(at);
      return;
    }
    const to = this.held.kind === 'eye' ? at : this.caught(inside);
    this.#moved = true;
    this.held = { ...this.held, to } as Held;
    const change = this.#changeBy(this.held, project.scene);
    if (change) project.try(change);
  }

  up(at: Point) {
    if (this.#sweeping) {
      this.#sweeping = false;
      this.#take(this.swept);
      return;
    }
    if (this.draft) {
      if (far(this.draft.from, this.#clamp(at)) * this.zoom > 6) this.#finish(this.#clamp(at));
      return;
    }
    // a press that went nowhere only selects
    const mine = this.held;
    const makes = mine && mine.kind !== 'box' && (this.#moved || tool.name === 'datum');
    if (mine?.kind === 'datum') tool.putDown();
    const letGo = () => {
      if (this.held === mine) this.held = null; // a new drag may have begun meanwhile
    };
    if (makes) void project.keep((scene) => this.#changeBy(mine, scene)).finally(letGo);
    else letGo();
  }

  cancel() {
    this.draft = null;
    this.held = null;
    this.corners = [];
    this.swept = [];
    this.first = null;
    this.#sweeping = false;
    project.drop();
  }

  missed() {
    selection.clear();
  }

  key(name: string, down: boolean) {
    if (name === 'Shift') this.off = down;
  }

  abandon() {
    const { draft, corners, first, refs, boxAt } = this.#before!;
    Object.assign(this, { draft, corners, first, held: null, swept: [] });
    selection.refs = refs;
    checks.boxAt = boxAt;
    this.#sweeping = false;
    project.drop();
  }

  /** How far round a drawn line its edge is looked for, in picture pixels; nothing if held off. */
  get reach(): number | null {
    return this.off ? null : Math.min(Math.max(REACH / this.zoom, 3), 60);
  }

  /** Move what is selected by so many picture pixels; a key held down makes one change of many. */
  nudge(dx: number, dy: number) {
    const what = selection.only;
    if (!what) return;
    const waits = this.#nudge;
    if (waits?.what === what) {
      waits.by = [waits.by[0] + dx, waits.by[1] + dy];
      return;
    }
    const mine = (this.#nudge = { what, by: [dx, dy] as Point });
    void project.keep((scene) => {
      if (this.#nudge === mine) this.#nudge = null;
      return this.#nudged(scene, mine);
    });
  }

  #nudged(scene: Scene, { what: { id, part }, by }: Nudge): Change | null {
    const s = scene.sighting;
    const moved = (points: readonly (readonly number[])[]) =>
      points.map((p, i) =>
        part === undefined || part === i ? this.#clamp([p[0] + by[0], p[1] + by[1]]) : [p[0], p[1]],
      ) as Point[];
    const trace = s?.traces?.find((t) => t.id === id);
    if (trace)
      return {
        verb: 'MoveTrace',
        trace: id,
        points: moved(trace.points),
        on_edge: trace.on_edge ?? false,
      };
    const tape = s?.tapes?.find((t) => t.id === id);
    if (tape) return { verb: 'AlterTape', tape: id, points: moved(tape.points) as [Point, Point] };
    const shape = s?.rectangles?.find((t) => t.id === id);
    if (shape)
      return {
        verb: 'AlterRectangle',
        rectangle: id,
        points: moved(shape.points) as Corners,
        free: false,
      };
    if (id === 'datum' && s.datum)
      return { verb: 'SetDatum', point: this.#clamp([s.datum[0] + by[0], s.datum[1] + by[1]]) };
    return null;
  }

  #drawn(): Change | null {
    const d = this.draft;
    if (!d || far(d.from, d.to) < 3) return null;
    const points: [Point, Point] = [d.from, d.to];
    if (tool.name === 'trace') return this.#traced(points);
    const length_m = this.#guess(points);
    if (drawing.laid === 'ground') return { verb: 'AddTape', points, length_m, on: 'ground' };
    return { verb: 'LayTape', points, length_m, on: drawing.laid };
  }

  #traced(points: [Point, Point]): Change {
    const by_direction = drawing.heading === 'direction';
    const heading: Heading = drawing.heading === 'direction' ? upright(points) : drawing.heading;
    if (this.reach === null && !by_direction)
      return { verb: 'AddTrace', heading, points, on_edge: false };
    return { verb: 'DrawTrace', heading, points, reach: this.reach ?? 0.01, by_direction };
  }

  #changeBy(h: Held | null, scene: Scene | null): Change | null {
    if (!h || h.kind === 'box') return null;
    if (h.kind === 'eye')
      return far(h.from, h.to) < 0.5
        ? null
        : { verb: 'PullByEye', what: h.what, start: h.from, end: h.to };
    if (h.kind === 'datum') return { verb: 'SetDatum', point: h.to };
    if (h.kind === 'trace') {
      const end = { trace: h.id, end: h.end, to: h.to };
      return this.reach === null
        ? { verb: 'MoveTraceEnd', ...end }
        : { verb: 'PullTraceEnd', ...end, reach: this.reach };
    }
    const s = scene?.sighting;
    if (h.kind === 'rectangle') {
      const shape = s?.rectangles?.find((r) => r.id === h.id);
      if (!shape) return null;
      const points = shape.points.map((p, i) => (i === h.end ? h.to : p)) as Corners;
      return { verb: 'AlterRectangle', rectangle: h.id, points, free: false };
    }
    const tape = s?.tapes?.find((t) => t.id === h.id);
    if (!tape) return null;
    const points: [Point, Point] = [...tape.points];
    points[h.end] = h.to;
    return { verb: 'AlterTape', tape: h.id, points };
  }

  #finish(at: Point) {
    this.draft = { ...this.draft!, to: tool.name === 'tape' ? this.caught(at) : at };
    const change = this.#drawn();
    const mine = (this.settling = change ? this.draft : null);
    this.draft = null;
    if (!change) {
      project.drop();
      return;
    }
    const tape = change.verb === 'AddTape' || change.verb === 'LayTape';
    if (tape) tool.putDown();
    void project.keep(change).then((kept) => {
      if (this.settling === mine) this.settling = null;
      if (kept && tape)
        this.#choose('tape', (this.fresh = project.scene?.sighting.tapes?.at(-1)?.id ?? null));
    });
  }

  #corner(at: Point) {
    const last = this.corners.at(-1);
    if (last && far(last, at) * this.zoom < 3) return;
    this.corners = [...this.corners, at];
    if (this.corners.length < 4) return;
    const points = this.corners as unknown as Corners;
    void project.keep({ verb: 'LayRectangle', points }).then((kept) => {
      this.corners = [];
      if (!kept) return;
      this.#choose('rectangle', project.scene?.sighting.rectangles?.at(-1)?.id);
      tool.putDown();
    });
  }

  #choose(kind: string, id: string | null | undefined) {
    if (id) selection.choose(kind, id);
  }

  #mark(id: string) {
    if (!this.first || this.first === id) {
      this.first = id;
      return;
    }
    void project.keep({ verb: 'MarkCorner', traces: [this.first, id] });
    this.first = null;
    tool.putDown();
  }

  /** Take the proposed edge under the pointer, if there is one. */
  #takeOne(at: Point): boolean {
    if (
      !checks.edges ||
      project.scene?.sighting?.locked ||
      project.scene?.sighting?.by_eye ||
      project.scene?.sighting?.given
    )
      return false;
    const near = this.near(at);
    if (near) this.#take([near]);
    return !!near;
  }

  /** The proposed edge nearest to a place, where one is near. */
  near(at: Point): ProposedEdge | null {
    let best: ProposedEdge | null = null;
    let least = 6 / this.zoom;
    for (const e of proposing.found?.edges ?? []) {
      const d = aside(at, e);
      if (d < least) [best, least] = [e, d];
    }
    return best;
  }

  #sweep(at: Point) {
    const edges = proposing.found?.edges ?? [];
    const sorted = edges.some((e) => e.heading);
    const more = edges.filter(
      (e) => (e.heading || !sorted) && !this.swept.includes(e) && aside(at, e) < BRUSH / this.zoom,
    );
    if (more.length) this.swept = [...this.swept, ...more];
  }

  #take(edges: ProposedEdge[]) {
    if (!edges.length) return;
    const traces = edges.map((e) => ({
      heading: this.#headed(e),
      points: [e.a, e.b] as [Point, Point],
      on_edge: true,
    }));
    void project.keep({ verb: 'AddTraces', traces }).finally(() => (this.swept = []));
  }

  /** The heading that an edge is taken into: its own, unless there is no camera yet and another
   *  was chosen by hand; and the chosen one for an edge that could not be sorted. */
  #headed(e: ProposedEdge): Heading {
    const byHand = drawing.chosen && drawing.heading !== 'direction' && !project.reading?.focal_px;
    if (e.heading && !byHand) return e.heading;
    return drawing.heading === 'direction' ? upright([e.a, e.b]) : drawing.heading;
  }

  /** A marked corner near a picked place, or the place. */
  caught(at: Point): Point {
    const marked = (project.reading?.corners ?? []).flatMap((c) => (c.at ? [c.at as Point] : []));
    return caught(at, marked, CATCH / this.zoom);
  }

  /** What a new tape is taken to measure until it is told: what the scale says, or a metre. */
  #guess(points: [Point, Point]): number {
    const r = project.reading;
    if (drawing.laid !== 'ground') return drawing.laid === 'up' ? 2 : 1;
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

/** The heading that a line is taken to have before any camera is known. */
function upright([a, b]: [Point, Point]): Heading {
  return Math.abs(b[1] - a[1]) > 1.7 * Math.abs(b[0] - a[0]) ? 'up' : 'across';
}

export const sightHand = new SightHand();
