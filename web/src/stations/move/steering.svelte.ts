/** Steering: the shot camera moved by hand in its own view. What is steered becomes a key at once, or
 *  is only looked at until it is keyed. */
import type { Change } from '../../lib/api/client';
import { desk } from '../../lib/desk.svelte';
import { playhead } from '../../project/playhead.svelte';
import { project } from '../../project/project.svelte';
import { sizeOf, type Point } from '../../views/camera';
import type { Hand, Point3, Seen } from '../../views/hand';

type Steer = Extract<Change, { verb: 'Steer' }>;
export type Step = Partial<NonNullable<Steer['steps']>[number]>;

const DEG = 180 / Math.PI;
const AWAY = 4; // of the world's size: how far off is taken to be what nothing is seen at
const NOTCH = 0.0009; // of the way to what is under the pointer, a unit of the wheel
const ARC = 0.28; // degrees a pixel of a drag
const REST_MS = 260; // after the last notch of the wheel what it came to is kept
const STRIDE = 0.05; // of the way to what is ahead, an arrow's step
const FINE = 0.2;

const full = (step: Step) => ({
  right_m: 0,
  up_m: 0,
  forward_m: 0,
  along_m: 0,
  turn_deg: 0,
  tilt_deg: 0,
  roll_deg: 0,
  zoom: 1,
  arc_deg: 0,
  over_deg: 0,
  ...step,
});

class Steering {
  /** Whether what is steered becomes a key when it is let go of. */
  keys = $state(true);
  /** Steps that are looked at and not kept yet. */
  pending = $state.raw<Step[]>([]);
  #frame = 0;
  #rest: ReturnType<typeof setTimeout> | undefined;

  /** The shot camera's steps to a frame's key. */
  change(frame: number, steps: Step[]): Change {
    return { verb: 'Steer', frame, steps: steps.map(full), ease: 'both' } as Change;
  }

  /** Look at what steps come to, after those that are not kept yet. */
  look(steps: Step[]) {
    this.#frame = playhead.frame;
    project.try(this.change(this.#frame, [...this.pending, ...steps]));
  }

  /** Steps are done: keep them, or look on at what they came to. */
  done(steps: Step[]) {
    if (!project.reading?.settled) return;
    playhead.playing = false;
    this.#frame = playhead.frame;
    this.pending = [...this.pending, ...steps];
    if (this.keys) void this.key();
    else project.try(this.change(this.#frame, this.pending));
  }

  /** The same a moment later, with what comes until then. */
  soon(step: Step) {
    this.pending = [...this.pending, step];
    this.look([]);
    clearTimeout(this.#rest);
    if (this.keys) this.#rest = setTimeout(() => void this.key(), REST_MS);
  }

  /** A key where the playhead is, of what is looked at. */
  key() {
    clearTimeout(this.#rest);
    const steps = this.pending;
    this.pending = [];
    if (!project.reading?.settled) return Promise.resolve(false);
    const frame = steps.length ? this.#frame : playhead.frame;
    return project.keep(this.change(frame, steps));
  }

  /** Another frame is looked at, or all is let go of: what was not keyed is gone. */
  forget() {
    clearTimeout(this.#rest);
    if (!this.pending.length) return;
    this.pending = [];
    project.drop();
  }
}

export const steering = new Steering();
desk.lay('steering', steering, () => ({ keys: true }), ['keys']);

interface Held {
  from: Point;
  seen: Seen;
  away: number;
  how: 'look' | 'truck' | 'arc';
}

let held: Held | null = null;
let steps: Step[] = [];
/** Keys that are held down. */
export const modifiers = { Shift: false, Alt: false };

/** How far ahead, metres, what is taken hold of is. */
function awayOf({ camera, place }: Seen): number {
  const far = AWAY * sizeOf(project.reading!.camera!);
  if (!place) return far;
  const deep = camera.rotation[2].reduce(
    (sum, v, i) => sum - v * (place[i] - camera.position[i]),
    0,
  );
  return Math.max(deep, 0.02 * far);
}

function dragged(at: Point): Step {
  const { from, seen, away, how } = held!;
  const f = seen.camera.focal_px;
  const [dx, dy] = [at[0] - from[0], at[1] - from[1]];
  if (how === 'truck') return { right_m: (-dx / f) * away, up_m: (dy / f) * away };
  if (how === 'arc') {
    const about = seen.place ?? ahead(seen, away);
    const k = ARC * seen.zoom;
    return { about, arc_deg: -dx * k, over_deg: dy * k };
  }
  // what is held stays under the pointer
  const turn = (x: number) => Math.atan2(x, f) * DEG;
  const { cx, cy } = seen.camera;
  return {
    turn_deg: turn(from[0] - cx) - turn(at[0] - cx),
    tilt_deg: turn(at[1] - cy) - turn(from[1] - cy),
  };
}

const ahead = ({ camera }: Seen, away: number): Point3 =>
  camera.position.map((v, i) => v - camera.rotation[2][i] * away) as Point3;

export const moveHand: Hand = {
  loupe: null,
  zoom: 1,
  down: (at, _grip, _body, seen) => {
    const now = seen?.();
    if (!now || !project.reading?.settled) return false;
    held = {
      from: at,
      seen: now,
      away: awayOf(now),
      how: modifiers.Alt ? 'arc' : modifiers.Shift ? 'truck' : 'look',
    };
    steps = [];
    return true;
  },
  move: (at, pressed) => {
    if (!held || !pressed) return;
    steps = [dragged(at)];
    steering.look(steps);
  },
  up: (at) => {
    if (!held) return;
    const moved = Math.hypot(at[0] - held.from[0], at[1] - held.from[1]) * held.seen.zoom > 2;
    steps = moved ? [dragged(at)] : [];
    held = null;
    if (steps.length) steering.done(steps);
    else if (!steering.pending.length) project.drop();
  },
  missed: () => undefined,
  cancel: () => {
    held = null;
    steering.forget();
  },
  abandon: () => {
    held = null;
    if (steering.pending.length) steering.look([]);
    else project.drop();
  },
  key: (name, on) => {
    if (name === 'Shift' || name === 'Alt') modifiers[name] = on;
  },
  wheel: (by, seen) => {
    if (!project.reading?.settled) return;
    playhead.playing = false;
    const { ray } = seen;
    steering.soon({ along: ray, along_m: -by * NOTCH * awayOf(seen) });
  },
  arrow: (way, { fine, seen }) => {
    if (!project.reading?.settled) return false;
    const step = STRIDE * awayOf(seen) * (fine ? FINE : 1);
    const ways: Record<string, Step> = {
      ArrowLeft: { right_m: -step },
      ArrowRight: { right_m: step },
      ArrowUp: { forward_m: step },
      ArrowDown: { forward_m: -step },
      PageUp: { up_m: step },
      PageDown: { up_m: -step },
    };
    if (!ways[way]) return false;
    steering.soon(ways[way]);
    return true;
  },
};
