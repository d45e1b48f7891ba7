/** Borrowing a patch: draw round what is to be hidden, then drag that to where the patch is taken
 *  from. What is drawn meanwhile is only drawn; the core makes the patch. */
import { api } from '../../lib/api/client';
import { desk } from '../../lib/desk.svelte';
import { project as open } from '../../project/project.svelte';
import { onPlane, project, type Plane, type Point } from '../../views/camera';
import { far } from '../../views/hand';

const MOST_POINTS = 400;
const LEAST = 6; // screen px that a patch reaches, under which a press meant nothing

class Borrowing {
  lantern = $state<string | null>(null);
  outline = $state.raw<Point[]>([]);
  closed = $state(false);
  busy = $state(false);
  plane = $state.raw<(Plane & { proxy: string }) | null>(null);
  dragged = $state.raw<{ from: Point; to: Point } | null>(null);
  zoom = 1;
  #finding = Promise.resolve();

  begin(lantern: string) {
    this.lantern = this.lantern === lantern ? null : lantern;
    this.clear();
  }

  clear() {
    this.outline = [];
    this.closed = false;
    this.dragged = null;
    this.plane = null;
  }

  /** The outline where the patch would be taken from, as far as it can be seen. */
  get moved(): Point[] {
    const [camera, plane, by] = [open.reading?.camera, this.plane, this.dragged];
    if (!camera || !plane || !by) return [];
    const [from, to] = [onPlane(camera, by.from, plane), onPlane(camera, by.to, plane)];
    if (!from || !to) return [];
    return this.outline.flatMap((p) => {
      const at = onPlane(camera, p, plane);
      const seen =
        at &&
        project(
          camera,
          at.map((v, k) => v + to[k] - from[k]),
        );
      return seen ? [seen] : [];
    });
  }

  down(at: Point) {
    if (this.busy) return;
    if (this.closed && inside(this.outline, at)) {
      this.dragged = { from: at, to: at };
      return;
    }
    this.clear();
    this.outline = [at];
  }

  move(at: Point) {
    if (this.dragged) this.dragged = { ...this.dragged, to: at };
    else if (this.outline.length && !this.closed && far(at, this.outline.at(-1)!) * this.zoom > 2)
      this.outline = [...this.outline, at];
  }

  async up(at: Point) {
    this.move(at);
    if (this.dragged) return this.#take(this.dragged);
    if (this.closed) return;
    const [xs, ys] = [this.outline.map((p) => p[0]), this.outline.map((p) => p[1])];
    const wide = Math.max(...xs) - Math.min(...xs);
    const high = Math.max(...ys) - Math.min(...ys);
    if (this.outline.length < 3 || Math.min(wide, high) * this.zoom < LEAST) return this.clear();
    const step = Math.ceil(this.outline.length / MOST_POINTS);
    this.outline = this.outline.filter((_, i) => i % step === 0);
    this.closed = true;
    this.#finding = this.#find([
      (Math.max(...xs) + Math.min(...xs)) / 2,
      (Math.max(...ys) + Math.min(...ys)) / 2,
    ]);
    await this.#finding;
  }

  /** Find out on which plane it is: of what takes the lantern, whatever stands before it. */
  async #find(at: Point) {
    const [state, lantern, outline] = [open.state, this.lantern, this.outline];
    if (!state || !lantern) return;
    const { data, error } = await api
      .POST('/api/projects/{id}/plane', {
        params: { path: { id: state.id }, query: { revision: state.revision } },
        body: { lantern, at, proxy: null },
      })
      .catch(() => ({ data: undefined, error: undefined }));
    if (this.outline !== outline) return;
    if (data) this.plane = data;
    else {
      this.clear();
      open.say(error && 'message' in error ? String(error.message) : 'Draw round it once more.');
    }
  }

  async #take(by: { from: Point; to: Point }) {
    await this.#finding; // a quick hand lets go before the plane is known
    const [lantern, plane] = [this.lantern, this.plane];
    if (!lantern || !plane || far(by.from, by.to) * this.zoom < 3) {
      this.dragged = null;
      return;
    }
    this.busy = true;
    const kept = await open.keep({
      verb: 'Borrow',
      lantern,
      proxy: plane.proxy,
      outline: this.outline,
      source: by.to,
      target: by.from,
      soft: 0.12,
    });
    this.busy = false;
    if (kept) this.clear();
    else this.dragged = null;
  }
}

function inside(ring: readonly Point[], [x, y]: Point): boolean {
  let odd = false;
  for (let i = 0, j = ring.length - 1; i < ring.length; j = i++) {
    const [[ax, ay], [bx, by]] = [ring[i], ring[j]];
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) odd = !odd;
  }
  return odd;
}

export const borrowing = new Borrowing();
desk.lay(
  'borrowing',
  borrowing,
  () => ({ lantern: null, outline: [], closed: false, dragged: null, plane: null }),
  [],
);
