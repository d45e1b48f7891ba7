/** Traces as a list: which of them, and in which order. */
import type { Point } from '../../views/camera';

export type Order = 'worst' | 'name' | 'longest' | 'trust';
export const DISAGREES = 'disagrees'; // no heading is called so

interface Listed {
  name: string;
  heading: string;
  trust?: number;
  long: number; // px
  read?: { misfit_px?: number | null; disagrees?: boolean };
}

export const lengthOf = (points: readonly (readonly number[])[]) =>
  points.slice(1).reduce((sum, p, i) => {
    const [x, y] = points[i] as Point;
    return sum + Math.hypot(p[0] - x, p[1] - y);
  }, 0);

/** Whether a trace is one of those that are asked for: all, of a heading, or those that disagree. */
export const passes = (which: string) => (t: Listed) =>
  which === 'all' || (which === DISAGREES ? !!t.read?.disagrees : t.heading === which);

const worse = (a: Listed, b: Listed) =>
  Number(b.read?.disagrees ?? 0) - Number(a.read?.disagrees ?? 0) ||
  (b.read?.misfit_px ?? 0) - (a.read?.misfit_px ?? 0);

const ORDERS: Record<Order, (a: Listed, b: Listed) => number> = {
  worst: worse,
  name: (a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }),
  longest: (a, b) => b.long - a.long,
  trust: (a, b) => (a.trust ?? 1) - (b.trust ?? 1) || worse(a, b),
};

export const ordered = <T extends Listed>(traces: readonly T[], by: Order): T[] =>
  [...traces].sort(ORDERS[by]);
