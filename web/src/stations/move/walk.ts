/** The shot in the walk view: a dot a frame, those in which it breaks, its keys, how far it may go;
 *  and keys dragged there, on their level, or up and down with Shift. */
import type { Change } from '../../lib/api/client';
import { playhead } from '../../project/playhead.svelte';
import { project } from '../../project/project.svelte';
import { wholeMove } from '../../project/strip.svelte';
import { selection } from '../../project/selection.svelte';
import type { Point3, WalkHand, WorldRay } from '../../views/hand';
import { pathOf, shotAt } from '../../views/shot';
import type { WalkLine } from '../../views/station';
import { limits } from './limits.svelte';
import { modifiers } from './steering.svelte';

const SIDES: [string, number, number][] = [
  ['right', 0, 1],
  ['left', 0, -1],
  ['up', 1, 1],
  ['down', 1, -1],
  ['back', 2, 1],
  ['forward', 2, -1],
];

const BREAKS = '#ff8f6b';

/** Frames in which more leaks or is revealed than is allowed beyond what the best one shows. */
function brokenFrames(): number[] {
  const strip = wholeMove.now;
  if (!strip) return [];
  const shares = strip.leak.map((v, f) => (v ?? NaN) + (strip.reveal[f] ?? NaN));
  const known = shares.filter((v) => !Number.isNaN(v));
  const least = known.length ? Math.min(...known) : 0;
  return shares.flatMap((v, f) => (v - least > limits.most ? [f] : []));
}

/** What is drawn of the shot. */
export function walkLines(): WalkLine[] {
  const { shot, keys, reading } = project;
  const sighted = reading?.camera;
  if (!shot || !sighted || !keys.length) return [];
  const path = pathOf(shot).map((p) => [...p] as Point3);
  const out: WalkLine[] = [
    { points: path, colour: '#ffd166', dots: 3 },
    { points: keys.map((k) => k.position as Point3), colour: '#ffd166', dots: 7 },
  ];
  const broken = brokenFrames();
  if (path.length === shot.frames && broken.length)
    out.push({ points: broken.map((f) => path[f]), colour: BREAKS, dots: 4 });
  const { amount } = limits;
  const made = project.move?.amount ?? 1;
  if (amount?.breaks && amount.frame !== null && made > 0) {
    // where the camera may be at most in the frame that breaks first: a move is driven straight
    const there = shotAt(shot, amount.frame, sighted).position;
    const end = there.map(
      (v, i) => sighted.position[i] + (amount.most / made) * (v - sighted.position[i]),
    ) as Point3;
    out.push({ points: [end], colour: BREAKS, dots: 9 });
  }
  const camera = shotAt(shot, playhead.at, sighted);
  for (const [way, axis, sign] of SIDES) {
    const found = limits.ways[way as keyof typeof limits.ways];
    if (!found) continue;
    const end = camera.position.map(
      (v, i) => v + sign * found.most * camera.rotation[axis][i],
    ) as Point3;
    out.push({ points: [camera.position as Point3, end], colour: BREAKS, line: true, dots: 5 });
  }
  return out;
}

let held: { frame: number; at: Point3; from: Point3; ray: WorldRay } | null = null;

/** Where a ray meets the level, or the upright plane facing the viewer, through a place. */
function met({ origin, direction }: WorldRay, at: Point3, up: boolean): Point3 | null {
  const flat: Point3 = [direction[0], 0, direction[2]];
  const normal: Point3 = up ? flat : [0, 1, 0];
  const dot = (a: readonly number[], b: readonly number[]) =>
    a.reduce((sum, v, i) => sum + v * b[i], 0);
  const slope = dot(direction, normal);
  if (Math.abs(slope) < 1e-6) return null;
  const t = (dot(at, normal) - dot(origin, normal)) / slope;
  return t > 0 ? (origin.map((v, i) => v + t * direction[i]) as Point3) : null;
}

function moved(ray: WorldRay): Change | null {
  const { frame, at, ray: first } = held!;
  const [a, b] = [met(first, at, modifiers.Shift), met(ray, at, modifiers.Shift)];
  if (!a || !b) return null;
  const by = b.map((v, i) => v - a[i]);
  if (modifiers.Shift) [by[0], by[2]] = [0, 0];
  else by[1] = 0;
  const position = at.map((v, i) => v + by[i]) as Point3;
  const keys = (project.scene!.move.position ?? []).map((k) =>
    k.frame === frame ? { ...k, at: position } : k,
  );
  return { verb: 'SetShotTrack', of: 'position', keys } as Change;
}

export const moveWalkHand: WalkHand = {
  marks: () =>
    (project.scene?.move.position ?? []).map((k) => ({
      id: `key:${k.frame}`,
      at: k.at as Point3,
    })),
  down: (ray, body) => {
    if (!body.startsWith('key:')) {
      selection.choose('proxy', body);
      return false;
    }
    const frame = Number(body.slice(4));
    const at = project.scene!.move.position!.find((k) => k.frame === frame)!.at as Point3;
    held = { frame, at, from: at, ray };
    playhead.playing = false;
    playhead.at = frame;
    return true;
  },
  move: (ray) => {
    const change = held && moved(ray);
    if (change) project.try(change);
  },
  up: (ray) => {
    const change = held && moved(ray);
    const still = !change || JSON.stringify(held!.ray) === JSON.stringify(ray);
    held = null;
    if (still) project.drop();
    else void project.keep(change);
  },
  abandon: () => {
    held = null;
    project.drop();
  },
};
