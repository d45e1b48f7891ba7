/** How far things are from a place of a view. */
import type { Point } from './camera';

/** The distance of a place from a line between two others. */
export function awayFrom([x, y]: Point, [ax, ay]: Point, [bx, by]: Point): number {
  const [dx, dy] = [bx - ax, by - ay];
  const long = dx * dx + dy * dy;
  const t = long ? Math.min(Math.max(((x - ax) * dx + (y - ay) * dy) / long, 0), 1) : 0;
  return Math.hypot(x - ax - t * dx, y - ay - t * dy);
}
