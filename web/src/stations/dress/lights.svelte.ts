/** What a hand does with lights over the picture. */
import type { Change, Light, Pick } from '../../lib/api/client';
import { desk } from '../../lib/desk.svelte';
import { playhead } from '../../project/playhead.svelte';
import { project } from '../../project/project.svelte';
import { selection } from '../../project/selection.svelte';
import { tool } from '../../project/tool.svelte';
import type { CameraReading } from '../../lib/api/client';
import { rayOf, type Point } from '../../views/camera';
import type { Hand, Point3, Seen } from '../../views/hand';
import { shotAt } from '../../views/shot';
import {
  carryGuest,
  dropGuest,
  holdUpright,
  leaveGuest,
  stand,
  STANDING,
  takeGuest,
} from './guests.svelte';

export const PANORAMAS = '.exr,.hdr,.jpg,.jpeg,.png,.tif,.tiff,.webp';
export const PICKING = 'pick a lamp';
export const AIMING = 'aim the sun';

class Aim {
  /** Where a shadow is drawn from, and to: places of the view. */
  from = $state.raw<Point | null>(null);
  to = $state.raw<Point | null>(null);
}
export const shadow = new Aim();

/** The light that is set up. It is no part of the selection, so that proxies can be selected for
 *  it. */
class ChosenLight {
  id = $state<string | null>(null);
  toggle(id: string) {
    this.id = this.id === id ? null : id;
  }
}
export const chosen = new ChosenLight();
desk.lay('light', chosen, () => ({ id: null }), ['id']);

export const chosenLight = () =>
  project.scene!.lights.find((light) => light.id === chosen.id) ?? null;
/** Choose the light that something adds. */
async function choosing(adds: () => Promise<unknown>) {
  const before = project.scene!.lights.map((one) => one.id);
  await adds();
  chosen.id = project.scene!.lights.find((one) => !before.includes(one.id))?.id ?? chosen.id;
}

/** The names that lights begin with, and how they begin. */
export const BEGIN: Record<Exclude<Light['kind'], 'surroundings'>, Partial<Light>> = {
  sun: { kind: 'sun', name: 'sun' },
  lamp: { kind: 'lamp', name: 'lamp' },
  sky: { kind: 'sky', name: 'sky light', strength: 0.2 },
};

/** Add a light, and choose it. */
export const add = (kind: keyof typeof BEGIN) =>
  choosing(() =>
    project.keep({ verb: 'AddLight', light: { ...BEGIN[kind], id: 'new-0' } } as Change),
  );

/** Take a panorama for the light of surroundings: of new ones, or of those that have another. */
export const surroundWith = (file: File, light?: string) =>
  choosing(() => project.send('panorama', light ? { file, light } : { file }));

const camera = () => {
  const sighted = project.reading?.camera;
  return sighted && project.shot ? shotAt(project.shot, playhead.at, sighted) : (sighted ?? null);
};
const pickOf = (through: CameraReading, at: Point): Pick =>
  ({ origin: through.position, direction: rayOf(through, at) }) as unknown as Pick;

interface Carried {
  id: string;
  through: CameraReading;
  from: Point;
  level: boolean;
}
let carried: Carried | null = null;
let first: { seen: Seen; at: Point } | null = null;

const carrying = ({ id, through, level }: Carried, at: Point): Change =>
  ({
    verb: 'CarryLamp',
    light: id,
    to: pickOf(through, at),
    way: level ? 'level' : 'aside',
    ahead: through.rotation[2].map((v) => -v) as Point3,
  }) as Change;
const aimed = (through: CameraReading, at: Point): Change =>
  ({
    verb: 'AimSun',
    light: chosen.id,
    tip: pickOf(through, first!.at),
    shadow: pickOf(through, at),
  }) as Change;

let level = false; // while Shift is held

export const dressHand: Hand = {
  loupe: null,
  zoom: 1,
  down(at, grip, body, seen) {
    const now = seen?.() ?? null;
    if (tool.name === STANDING) {
      if (now) void stand(now);
      return true;
    }
    if (tool.name === PICKING) {
      if (now) void pickLamp(now);
      return true;
    }
    if (tool.name === AIMING && now) {
      first = { seen: now, at };
      [shadow.from, shadow.to] = [at, at];
      return true;
    }
    const through = camera();
    if (grip?.startsWith('light-') && through) {
      chosen.id = grip;
      const light = project.scene!.lights.find((one) => one.id === grip);
      carried = light?.kind === 'lamp' ? { id: grip, through, from: at, level } : null;
      return true;
    }
    if (takeGuest(at, grip, body)) return true;
    const proxy = body();
    if (proxy) selection.toggle('proxy', proxy);
    return true; // the shot cannot be panned
  },
  move(at, pressed) {
    if (!pressed) return;
    if (carryGuest(at)) return;
    if (carried) project.try(carrying(carried, at));
    else if (first) {
      shadow.to = at;
      project.try(aimed(first.seen.camera, at));
    }
  },
  up(at) {
    if (leaveGuest(at)) return;
    if (carried) {
      const moved = at[0] !== carried.from[0] || at[1] !== carried.from[1];
      if (moved) void project.keep(carrying(carried, at));
      carried = null;
    } else if (first) {
      const change = aimed(first.seen.camera, at);
      const drawn = at[0] !== first.at[0] || at[1] !== first.at[1];
      letGo();
      tool.putDown();
      if (drawn) void project.keep(change);
    }
  },
  missed: () => selection.clear(),
  cancel() {
    letGo();
    tool.putDown();
    project.drop();
  },
  abandon() {
    letGo();
    project.drop();
  },
  key(name, down) {
    if (name !== 'Shift') return;
    level = down;
    holdUpright(down);
  },
};

function letGo() {
  carried = first = null;
  dropGuest();
  shadow.from = shadow.to = null;
}

function pickLamp(now: Seen) {
  tool.putDown();
  const at = { origin: now.camera.position, direction: now.ray } as unknown as Pick;
  return choosing(() => project.keep({ verb: 'PickLamp', at } as Change));
}
