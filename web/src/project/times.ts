/** The scene at a frame, as it is drawn: what moves where it is then, lanterns as strong, and plates
 *  at their picture. What does not change stays the very same object. */
import type { DressShown, LanternShown, Plate } from '../lib/api/client';
import type { Shape, Times } from './known';

type Point3 = [number, number, number];
type Playing = NonNullable<Plate['playing']>;
const FRAME = 12; // numbers of a proxy's frame
const LIGHT = 6; // of a light: its place and energy
const CAMERA = 13; // of where a lantern is thrown from: its place, its axes, its focal length
const STAND = 14; // of a piece of a guest: its frame, its strength and the number of its picture

/** Where the numbers of lanterns' cameras begin in a row, and those of the dressing. */
const camerasFrom = ({ proxies, strengths, pictures }: Times) =>
  FRAME * proxies.length + strengths.length + pictures.length;
const dressFrom = (times: Times) => camerasFrom(times) + CAMERA * times.cameras.length;

/** And those of pieces of guests. */
const standsFrom = (times: Times) =>
  dressFrom(times) + LIGHT * times.lights.length + (times.haze ? 1 : 0) + (times.look ? 3 : 0);

function rowOf(times: Times, frame: number): Float64Array {
  const { frames, stands, numbers } = times;
  const wide = standsFrom(times) + STAND * stands.length;
  const i = Math.min(Math.max(Math.round(frame), 0), frames - 1);
  return numbers.subarray(i * wide, (i + 1) * wide);
}

export function shapesAt(shapes: Map<string, Shape>, times: Times | null, frame: number) {
  if (!times?.proxies.length) return shapes;
  const row = rowOf(times, frame);
  const out = new Map(shapes);
  times.proxies.forEach((id, k) => {
    const shape = shapes.get(id);
    if (shape) out.set(id, { ...shape, frame: [...row.subarray(k * FRAME, (k + 1) * FRAME)] });
  });
  return out;
}

function cameraIn(camera: LanternShown['camera'], row: Float64Array, at: number) {
  const three = (from: number) => [row[from], row[from + 1], row[from + 2]] as Point3;
  const rotation = [three(at + 3), three(at + 6), three(at + 9)];
  return { ...camera, position: three(at), rotation, focal_px: row[at + 12] };
}

export function lanternsAt(lanterns: LanternShown[], times: Times | null, frame: number) {
  if (!times || !(times.strengths.length || times.pictures.length)) return lanterns;
  const whole = rowOf(times, frame);
  const row = whole.subarray(FRAME * times.proxies.length);
  const along = times.cameras;
  const from = camerasFrom(times);
  const strengths = new Map(times.strengths.map((id, k) => [id, row[k]]));
  const pictures = new Map(times.pictures.map((id, k) => [id, row[times.strengths.length + k]]));
  return lanterns.map((one) => {
    const picture = pictures.get(one.id) ?? Number(one.digest.split('@')[1] ?? 0);
    const strength = strengths.get(one.id) ?? one.strength;
    const k = along.indexOf(one.id);
    const named = pictures.has(one.id) && one.digest.includes('@');
    if (!picture && strength === one.strength && k < 0 && !named) return one;
    const camera = k < 0 ? one.camera : cameraIn(one.camera, whole, from + CAMERA * k);
    const own = plateOf(one.digest);
    return { ...one, camera, strength, digest: picture ? `${own}@${picture}` : own };
  });
}

/** The number, from 0, of the picture that is shown at a frame of the shot, as the core has it. */
export function pictureAt(playing: Playing, frame: number, fps: number): number {
  let since = frame - playing.offset;
  for (const rest of playing.rests) since -= Math.min(Math.max(frame - rest.frame, 0), rest.frames);
  let number = Math.floor((since * playing.rate) / fps + 1e-6);
  const last = Math.min(playing.ends ?? playing.count - 1, playing.count - 1);
  const first = Math.min(playing.begins, last);
  const used = last - first + 1;
  if (playing.loops && number > 0) number %= used;
  return first + Math.min(Math.max(number, 0), used - 1);
}

/** The plate that a picture is one of. */
export const plateOf = (digest: string) => digest.split('@')[0];

export function dressAt(dress: DressShown | null, times: Times | null, frame: number) {
  if (!dress || !times || !(times.lights.length || times.haze || times.look)) return dress;
  const row = [...rowOf(times, frame).subarray(dressFrom(times), standsFrom(times))];
  const rest = row.slice(LIGHT * times.lights.length);
  const three = (from: number) => [row[from], row[from + 1], row[from + 2]] as Point3;
  const lights = dress.lights.map((one) => {
    const k = LIGHT * times.lights.indexOf(one.id);
    return k < 0 ? one : { ...one, place: three(k), energy: three(k + 3) };
  });
  const haze = dress.haze && times.haze ? { ...dress.haze, density: rest[0] } : dress.haze;
  const [exposure, contrast, saturation] = rest.slice(times.haze ? 1 : 0);
  const look =
    dress.look && times.look ? { ...dress.look, exposure, contrast, saturation } : dress.look;
  return { ...dress, lights, haze, look };
}

/** Pieces of guests that are otherwise at other frames, by their ids. */
export function standsAt(times: Times | null, frame: number) {
  if (!times?.stands.length) return null;
  const row = rowOf(times, frame).subarray(standsFrom(times));
  return new Map(
    times.stands.map((id, k) => {
      const own = row.subarray(k * STAND, (k + 1) * STAND);
      return [id, { frame: [...own.subarray(0, FRAME)], strength: own[12], picture: own[13] }];
    }),
  );
}
