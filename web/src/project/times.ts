/** The scene at a frame, as it is drawn: what moves where it is then, lanterns as strong, and plates
 *  at their picture. What does not change stays the very same object. */
import type { LanternShown } from '../lib/api/client';
import type { Shape, Times } from './known';

const FRAME = 12; // numbers of a proxy's frame

function rowOf(times: Times, frame: number): Float64Array {
  const { frames, proxies, strengths, pictures, numbers } = times;
  const wide = FRAME * proxies.length + strengths.length + pictures.length;
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

export function lanternsAt(lanterns: LanternShown[], times: Times | null, frame: number) {
  if (!times || !(times.strengths.length || times.pictures.length)) return lanterns;
  const row = rowOf(times, frame).subarray(FRAME * times.proxies.length);
  const strengths = new Map(times.strengths.map((id, k) => [id, row[k]]));
  const pictures = new Map(times.pictures.map((id, k) => [id, row[times.strengths.length + k]]));
  return lanterns.map((one) => {
    const picture = pictures.get(one.id) ?? 0;
    const strength = strengths.get(one.id) ?? one.strength;
    if (!picture && strength === one.strength) return one;
    return { ...one, strength, digest: picture ? `${one.digest}@${picture}` : one.digest };
  });
}

/** The plate that a picture is one of. */
export const plateOf = (digest: string) => digest.split('@')[0];
