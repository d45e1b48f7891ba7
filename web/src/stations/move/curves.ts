/** The shot's tracks as curves: what each number is at every frame, and where its keys are. */
import type { CameraReading, Move } from '../../lib/api/client';
import type { Shot } from '../../project/known';
import type { Point3 } from '../../views/hand';
import { shotAt } from '../../views/shot';

export type TrackName = 'position' | 'aim' | 'focal_mm' | 'roll_deg';

export interface Curve {
  track: TrackName;
  title: string;
  lines: number[][]; // each over the shot's frames, or evenly spaced ones of them
  tones: string[];
  low: number;
  high: number;
  keys: { frame: number; line: number; value: number }[]; // one on each line
  says: (frame: number) => string;
}

const MOST_POINTS = 200;
const DEG = 180 / Math.PI;
const TONES = ['var(--color-across)', 'var(--color-up)', 'var(--color-away)'];

export function curvesOf(shot: Shot | null, sighted: CameraReading | null, move: Move): Curve[] {
  if (!shot || !sighted) return [];
  const count = Math.min(shot.frames, MOST_POINTS);
  const step = count > 1 ? (shot.frames - 1) / (count - 1) : 0;
  const cameras = Array.from({ length: count }, (_, i) => shotAt(shot, i * step, sighted));
  const start = cameras[0];
  const mm = (c: CameraReading) => (c.focal_px * 36) / Math.max(c.width, c.height);
  const facing = ({ rotation: [right, up, back] }: CameraReading) => ({
    turn: Math.atan2(-back[0], back[2]) * DEG,
    tilt: Math.asin(Math.min(Math.max(-back[1], -1), 1)) * DEG,
    roll: Math.atan2(right[1], up[1]) * -DEG,
  });
  const at = (frame: number) => shotAt(shot, frame, sighted);
  const one = (
    track: TrackName,
    title: string,
    lines: number[][],
    tones: string[],
    says: Curve['says'],
  ): Curve => {
    const all = lines.flat();
    const [least, most] = [Math.min(...all), Math.max(...all)];
    const room = Math.max((most - least) * 0.1, 0.05);
    const keys = lines.flatMap((values, line) =>
      (move[track] ?? []).map(({ frame }) => ({
        frame,
        line,
        value: values[Math.round(step ? frame / step : 0)] ?? 0,
      })),
    );
    return { track, title, lines, tones, low: least - room, high: most + room, keys, says };
  };
  const from = (i: number) => cameras.map((c) => c.position[i] - start.position[i]);
  return [
    one(
      'position',
      'Position: across, up, away',
      [from(0), from(1), from(2).map((v) => -v)],
      TONES,
      (f) => {
        const away = at(f).position.map((v, i) => v - start.position[i]);
        return `${Math.hypot(...away).toFixed(2)} m from its start`;
      },
    ),
    one(
      'aim',
      'Aim: turn and tilt',
      [cameras.map((c) => facing(c).turn), cameras.map((c) => facing(c).tilt)],
      [TONES[0], TONES[1]],
      (f) => `${facing(at(f)).turn.toFixed(1)}° · ${facing(at(f)).tilt.toFixed(1)}°`,
    ),
    one(
      'focal_mm',
      'Focal length',
      [cameras.map(mm)],
      ['var(--color-jade)'],
      (f) => `${mm(at(f)).toFixed(1)} mm`,
    ),
    one(
      'roll_deg',
      'Roll',
      [cameras.map((c) => facing(c).roll)],
      ['var(--color-jade)'],
      (f) => `${facing(at(f)).roll.toFixed(1)}°`,
    ),
  ];
}

type AnyKey = {
  frame: number;
  at?: number[];
  value?: number;
  way?: boolean;
  proxy?: string | null;
};

/** A key with one of its curves' values taken up by so much, as they are drawn: metres across, up or
 *  away; degrees of turn or tilt; mm; degrees. What follows a proxy stays on it. from: where the
 *  camera is at the key. */
export function bentKey<K extends AnyKey>(
  track: TrackName,
  key: K,
  line: number,
  by: number,
  from: Point3 | undefined,
): K {
  if (track === 'focal_mm') return { ...key, value: Math.max((key.value ?? 0) + by, 2) };
  if (track === 'roll_deg') return { ...key, value: (key.value ?? 0) + by };
  const at = key.at ?? [0, 0, 0];
  if (track === 'position')
    return { ...key, at: at.map((v, i) => (i === line ? v + (line === 2 ? -by : by) : v)) };
  if (key.proxy || (!key.way && !from)) return key;
  const eye = key.way || !from ? [0, 0, 0] : from;
  const [x, y, z] = at.map((v, i) => v - eye[i]);
  const far = Math.hypot(x, y, z);
  const most = 89.9 / DEG; // straight up and down there is no turn
  const tilt = Math.asin(Math.min(Math.max(y / far, -1), 1)) + (line === 1 ? by / DEG : 0);
  const [up, turn] = [
    Math.min(Math.max(tilt, -most), most),
    Math.atan2(x, -z) + (line === 0 ? by / DEG : 0),
  ];
  const way = [Math.sin(turn) * Math.cos(up), Math.sin(up), -Math.cos(turn) * Math.cos(up)];
  return { ...key, at: way.map((v, i) => v * far + eye[i]) };
}
