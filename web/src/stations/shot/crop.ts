/** Which part of the picture the delivered frame shows: drawn here, worked out for frames by the core
 *  (`core/move/frames.py`). */
import type { Move } from '../../lib/api/client';

/** Left, top, width and height in pixels of the picture. */
export function cropOf(
  width: number,
  height: number,
  frame: Move['frame'] | null,
): [number, number, number, number] {
  if (!frame) return [0, 0, width, height];
  const shape = frame.width / frame.height;
  const wide = Math.min(width, shape * height);
  const high = wide / shape;
  const [x, y] = frame.at ?? [0.5, 0.5];
  const within = (middle: number, size: number, room: number) =>
    Math.min(Math.max(middle - size / 2, 0), room - size);
  return [within(x * width, wide, width), within(y * height, high, height), wide, high];
}
