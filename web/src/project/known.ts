/** What this window knows of a project, put together of the server's answers. An answer tells only
 *  what differs; whatever it does not name stays the very same object, so that who draws it can
 *  tell that nothing has changed. */
import type {
  Answer,
  CameraPass,
  Changed,
  Key,
  KeptSighting,
  Label,
  CastSheet,
  Darkening,
  DressShown,
  Glazed,
  Guest,
  GuestShown,
  Haze,
  Lantern,
  LanternShown,
  Light,
  Look,
  Misses,
  Move,
  Plate,
  Proxy,
  Reading,
  Sighting,
  Stills,
  Taken,
  Track,
  Weld,
} from '../lib/api/client';
import { arrays, type MeshData } from '../lib/arrays';

export interface Scene {
  name: string;
  next_id: number;
  plate: Plate;
  stills: Stills;
  sighting: Sighting;
  built_on: Sighting | null;
  sheet: CastSheet;
  lanterns: Lantern[];
  move: Move;
  passed: CameraPass | null;
  kept_sightings: KeptSighting[];
  proxies: Proxy[];
  welds: Weld[];
  labels: Label[];
  glazed: Glazed[];
  tracks: Track[];
  lights: Light[];
  guests: Guest[];
  haze: Haze | null;
  darkening: Darkening | null;
  look: Look | null;
}

/** A guest as it is drawn (see `guests.ts`). */
export interface GuestKnown extends Omit<GuestShown, 'pieces'> {
  pieces: { shape: Shape; lantern: LanternShown }[];
}

export interface Handle {
  role: string;
  at: [number, number, number];
}

/** A proxy's surface. frame: rows of x, y, z and place that take its own frame to the world. */
export interface Shape {
  id: string;
  frame: number[];
  mesh: MeshData;
  handles: Handle[];
}

/** What changes over the frames of the shot: numbers of proxies and lanterns (see `times.ts`). */
export interface Times {
  digest: string;
  frames: number;
  proxies: string[];
  strengths: string[];
  pictures: string[];
  cameras: string[];
  lights: string[];
  haze: boolean;
  look: boolean;
  stands: string[];
  numbers: Float64Array;
}

/** The shot camera at its frames, or at some of them (see `views/shot.ts`). */
export interface Shot {
  digest: string;
  frames: number;
  numbers: Float64Array;
}

export interface Known {
  id: number;
  revision: number;
  kept_at: string;
  undo: string | null;
  redo: string | null;
  missing: string[];
  scene: Scene;
  reading: Reading | null;
  misses: Misses | null;
  kept: Map<string, Reading>;
  shapes: Map<string, Shape>;
  shot: Shot | null;
  times: Times | null;
  keys: Key[];
  labels: Map<string, number>;
  lanterns: LanternShown[];
  takes: Map<string, Taken>;
  dress: DressShown | null;
  guests: Map<string, GuestKnown>;
}

const EMPTY: Record<string, unknown> = {
  built_on: null,
  kept_sightings: [],
  proxies: [],
  welds: [],
  labels: [],
  lanterns: [],
  glazed: [],
  tracks: [],
  lights: [],
  guests: [],
  passed: null,
  haze: null,
  darkening: null,
  look: null,
};

/** The scene that an answer leads to. */
function sceneAfter(before: Scene | null, { changed, gone, order }: Answer): Scene {
  const same =
    !gone.length &&
    Object.values(changed).every((part) => part == null) &&
    Object.values(order).every((ids) => ids == null);
  if (before && same) return before;
  const out: Record<string, unknown> = { ...(before ?? EMPTY) };
  // whatever parts there are: of some there is one, of others a list, in an order
  const orders = order as Record<string, string[] | null | undefined>;
  const parts = { ...orders, ...(changed as Record<string, unknown>) };
  for (const [name, part] of Object.entries(parts)) {
    const ids = orders[name];
    if (Array.isArray(part) || ids)
      out[name] = listAfter(
        (out[name] as { id: string }[] | undefined) ?? [],
        (changed as Record<string, { id: string }[] | null | undefined>)[name],
        ids,
      );
    else if (part != null) out[name] = part;
  }
  for (const name of gone) if (name in out && !Array.isArray(out[name])) out[name] = null;
  return out as unknown as Scene;
}

function listAfter<T extends { id: string }>(
  before: T[],
  changed: T[] | null | undefined,
  order: string[] | null | undefined,
): T[] {
  if (!changed && !order) return before;
  const by = new Map(before.map((t) => [t.id, t]));
  for (const t of changed ?? []) by.set(t.id, t);
  return (order ?? [...by.keys()]).map((id) => by.get(id)!);
}

/** What is known after an answer. before: what was known at the answer's base; null where the
 *  answer tells all. The arrays that it names have to be here (see `arrays`). */
export function after(before: Known | null, answer: Answer): Known {
  const was = answer.base == null ? null : before;
  const { follows, gone } = answer;
  const scene = sceneAfter(was?.scene ?? null, answer);
  const there = new Set(scene.proxies.map((p) => p.id));
  let shapes = gone.includes('shapes') ? new Map<string, Shape>() : (was?.shapes ?? new Map());
  if (follows.shapes || [...shapes.keys()].some((id) => !there.has(id))) {
    shapes = new Map([...shapes].filter(([id]) => there.has(id)));
    for (const s of follows.shapes ?? [])
      shapes.set(s.id, { ...s, mesh: arrays.mesh(s.mesh) } as Shape);
  }
  let takes = gone.includes('takes') ? new Map<string, Taken>() : (was?.takes ?? new Map());
  if (follows.takes) takes = new Map([...takes, ...follows.takes.map((t) => [t.id, t] as const)]);
  const guests = guestsAfter(was, scene, answer);
  let kept = was?.kept ?? new Map<string, Reading>();
  if (follows.kept?.length)
    kept = new Map([...kept, ...follows.kept.map((k) => [k.id, k.reading] as const)]);
  return {
    id: answer.id,
    revision: answer.revision ?? was?.revision ?? 0,
    kept_at: answer.kept_at ?? was?.kept_at ?? '',
    undo: answer.undo ?? null,
    redo: answer.redo ?? null,
    missing: answer.missing ?? [],
    scene,
    reading: follows.reading ?? was?.reading ?? null,
    misses: follows.misses ?? (gone.includes('misses') ? null : (was?.misses ?? null)),
    kept,
    shapes,
    labels: follows.labels
      ? new Map(follows.labels.map((l) => [l.id, l.value]))
      : (was?.labels ?? new Map<string, number>()),
    lanterns: follows.lanterns ?? (gone.includes('lanterns') ? [] : (was?.lanterns ?? [])),
    takes,
    guests,
    dress: follows.dress ?? (gone.includes('dress') ? null : (was?.dress ?? null)),
    shot: follows.shot
      ? { ...follows.shot, numbers: arrays.numbers(follows.shot.digest) }
      : gone.includes('shot')
        ? null
        : (was?.shot ?? null),
    keys: follows.keys ?? (gone.includes('keys') ? [] : (was?.keys ?? [])),
    times: follows.times
      ? { ...follows.times, numbers: arrays.numbers(follows.times.digest) }
      : gone.includes('times')
        ? null
        : (was?.times ?? null),
  };
}

function guestsAfter(was: Known | null, scene: Scene, { follows, gone }: Answer) {
  const before = gone.includes('guests') || !was ? new Map<string, GuestKnown>() : was.guests;
  const there = new Set(scene.guests.map((one) => one.id));
  if (!follows.guests && [...before.keys()].every((id) => there.has(id))) return before;
  const out = new Map([...before].filter(([id]) => there.has(id)));
  for (const one of follows.guests ?? []) {
    const pieces = one.pieces.map(({ shape, lantern }) => ({
      shape: { ...shape, mesh: arrays.mesh(shape.mesh) } as Shape,
      lantern,
    }));
    out.set(one.id, { ...one, pieces });
  }
  return out;
}

/** The digests of all arrays that are used. */
export function digestsOf(...all: (Known | null)[]): Set<string> {
  const out = new Set<string>();
  for (const known of all) {
    for (const s of known?.shapes.values() ?? []) out.add(s.mesh.digest);
    for (const guest of known?.guests.values() ?? [])
      for (const { shape } of guest.pieces) out.add(shape.mesh.digest);
    const table = known?.dress?.look?.table;
    if (table) out.add(table.digest);
    for (const { around } of known?.dress?.lights ?? []) if (around) out.add(around);
    for (const { digest } of known?.dress?.reliefs ?? []) out.add(digest);
    if (known?.shot) out.add(known.shot.digest);
    if (known?.times) out.add(known.times.digest);
  }
  return out;
}

export type { Changed };
