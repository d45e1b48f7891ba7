/** The shot camera at one frame. */
import type { CameraReading } from '../lib/api/client';
import type { Shot } from '../project/known';

const NUMBERS = 13; // of each frame: position, rotation by rows, focal length in pixels

export function shotAt(shot: Shot, frame: number, like: CameraReading): CameraReading {
  const i = Math.min(Math.max(Math.round(frame), 0), shot.frames - 1);
  const [x, y, z, a, b, c, d, e, f, g, h, k, focal] = shot.numbers.subarray(
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

/** Where the shot camera is at every frame. */
export const pathOf = (shot: Shot) =>
  Array.from({ length: shot.frames }, (_, i) =>
    shot.numbers.subarray(i * NUMBERS, i * NUMBERS + 3),
  );
