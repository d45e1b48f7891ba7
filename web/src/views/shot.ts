/** The shot camera at one frame, of those that it is told at. */
import type { CameraReading } from '../lib/api/client';
import type { Shot } from '../project/known';

const NUMBERS = 14; // of each: its frame, position, rotation by rows, focal length in pixels

const rowsOf = (shot: Shot) => shot.numbers.length / NUMBERS;

/** The row nearest to a frame. Every frame has one, but while a change to a long shot is tried. */
function rowAt(shot: Shot, frame: number): number {
  let [low, high] = [0, rowsOf(shot) - 1];
  const at = (row: number) => shot.numbers[row * NUMBERS];
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (at(middle) <= frame) low = middle;
    else high = middle;
  }
  return at(high) - frame <= frame - at(low) ? high : low;
}

export function shotAt(shot: Shot, frame: number, like: CameraReading): CameraReading {
  const i = rowAt(shot, Math.round(frame));
  const [, x, y, z, a, b, c, d, e, f, g, h, k, focal] = shot.numbers.subarray(
    i * NUMBERS,
    (i + 1) * NUMBERS,
  );
  return {
    ...like,
    focal_px: focal,
    position: [x, y, z],
    rotation: [
      [a, b, c],
      [d, e, f],
      [g, h, k],
    ],
  };
}

/** Where the shot camera is at every frame that it is told at. */
export const pathOf = (shot: Shot) =>
  Array.from({ length: rowsOf(shot) }, (_, i) =>
    shot.numbers.subarray(i * NUMBERS + 1, i * NUMBERS + 4),
  );
