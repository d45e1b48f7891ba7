/** What a hand does with guests over the picture. */
import type { CameraReading, Change, Guest, Pick } from '../../lib/api/client';
import { desk } from '../../lib/desk.svelte';
import { playhead } from '../../project/playhead.svelte';
import { project } from '../../project/project.svelte';
import { tool } from '../../project/tool.svelte';
import { project as pixelOf, rayOf, type Point } from '../../views/camera';
import { standsAt } from '../../project/times';
import type { Point3, Seen } from '../../views/hand';
import { shotAt } from '../../views/shot';

export const STANDING = 'stand a guest';

/** The guest that is set up. */
class ChosenGuest {
  id = $state<string | null>(null);
  toggle(id: string) {
    this.id = this.id === id ? null : id;
  }
}
export const chosenOne = new ChosenGuest();
desk.lay('guest', chosenOne, () => ({ id: null }), ['id']);

export const chosenGuest = () =>
  project.scene!.guests.find((guest) => guest.id === chosenOne.id) ?? null;

/** What waits for its place: files, or words. */
class Waiting {
  files = $state.raw<File[]>([]);
  words = $state(false);
  lies = $state(false);
  coming = $state(false);
  /** What was odd about the last one. */
  said = $state.raw<string[]>([]);
}
export const waiting = new Waiting();

export function bring(files: FileList | File[] | null | undefined) {
  const list = [...(files ?? [])];
  if (!list.length) return;
  [waiting.files, waiting.words, waiting.said] = [list, false, []];
  tool.choose(STANDING, true);
}
export function write() {
  [waiting.files, waiting.words, waiting.said] = [[], true, []];
  tool.choose(STANDING, true);
}

/** Stand what waits where a place is seen, and choose it. */
export async function stand(now: Seen) {
  const at = { origin: now.camera.position, direction: now.ray } as unknown as Pick;
  const { files, words, lies } = waiting;
  const before = project.scene!.guests.map((one) => one.id);
  tool.putDown();
  waiting.coming = true;
  if (words) {
    const guest = { kind: 'words', id: 'new-0', name: 'words', text: 'Words', height_m: 1 };
    await project.keep({ verb: 'StandGuest', guest, at, lies } as unknown as Change);
  } else if (files.length) {
    const told = await project.send('guest', {
      files,
      at: JSON.stringify(at),
      lies: String(lies),
    });
    waiting.said = (told ?? []).flatMap((one) => one.said);
  }
  waiting.coming = false;
  waiting.files = [];
  const added = project.scene?.guests.find((one) => !before.includes(one.id));
  if (added) chosenOne.id = added.id;
}

/** Where a guest is at the playhead, as far as that is told: of letters that go one after another
 *  only where each of them is. */
export function standOf(id: string) {
  const guest = project.scene!.guests.find((one) => one.id === id);
  if (guest?.kind === 'words' && guest.later) return null;
  const piece = project.guests.get(id)?.pieces[0]?.shape.id ?? '';
  return standsAt(project.times, playhead.frame)?.get(piece) ?? null;
}

/** Where a guest can be taken hold of at the playhead: its foot and its top, in the world. */
export function heldBy(id: string): { foot: Point3; top: Point3 } | null {
  const known = project.guests.get(id);
  if (!known) return null;
  const now = standOf(id)?.frame;
  if (!now) return known;
  const foot: Point3 = [now[3], now[7], now[11]];
  return { foot, top: foot.map((v, i) => v + now[4 * i + 1]) as Point3 };
}

/** What of a guest's place changes over the shot. */
const moves = (id: string) =>
  project.scene!.tracks.some((t) => t.part === id && ['x', 'z', 'level_m'].includes(t.of));

interface Carried {
  id: string;
  through: CameraReading;
  from: Point;
  off: Point; // from the pointer to what is carried
  what: 'foot' | 'top';
}
let carried: Carried | null = null;
let upright = false; // while Shift is held
export const holdUpright = (on: boolean) => (upright = on);

const changeAt = (at: Point): Change => {
  const { id, through, off, what } = carried!;
  const to = {
    origin: through.position,
    direction: rayOf(through, [at[0] + off[0], at[1] + off[1]]),
  };
  if (what === 'top') return { verb: 'SizeGuest', guest: id, top: to } as unknown as Change;
  const way = upright ? 'up' : 'level';
  return { verb: 'CarryGuest', guest: id, to, way } as unknown as Change;
};

/** Take hold of a guest; whether there is one. grip: of its foot or top. body: the piece that is seen
 *  there. */
export function takeGuest(at: Point, grip: string | null, body: () => string | null): boolean {
  const sighted = project.reading?.camera;
  if (!sighted || !project.shot) return false;
  const through = shotAt(project.shot, playhead.at, sighted);
  const [gripped, what] = grip?.startsWith('guest-') ? grip.split(':') : [null, 'foot'];
  const id = gripped ?? (body()?.startsWith('guest-') ? body()!.split('/')[0] : null);
  const known = id && heldBy(id);
  if (!known) return false;
  chosenOne.id = id;
  if (what !== 'top' && moves(id)) {
    const { name } = project.scene!.guests.find((one) => one.id === id)!;
    project.say(`${name} moves over the shot: its place is set by its keys, in the tray.`);
    return true;
  }
  const held = pixelOf(through, what === 'top' ? known.top : known.foot) ?? at;
  const off: Point = [held[0] - at[0], held[1] - at[1]];
  carried = { id, through, from: at, off, what: what as Carried['what'] };
  return true;
}
export function carryGuest(at: Point): boolean {
  if (carried) project.try(changeAt(at));
  return !!carried;
}
export function leaveGuest(at: Point): boolean {
  if (!carried) return false;
  const moved = at[0] !== carried.from[0] || at[1] !== carried.from[1];
  if (moved) void project.keep(changeAt(at));
  carried = null;
  return true;
}
export const dropGuest = () => (carried = null);

/** A change of what is given of a guest. */
export const altered = (guest: Guest, to: Record<string, unknown>) =>
  ({ verb: 'AlterGuest', guest: guest.id, to }) as Change;
