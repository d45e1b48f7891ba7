import { describe, expect, it } from 'vitest';
import { DepthOrder, type Piece } from '../src/views/order';

type V = [number, number, number];
const minus = (a: readonly number[], b: readonly number[]): V => [
  a[0] - b[0],
  a[1] - b[1],
  a[2] - b[2],
];
const cross = (a: V, b: V): V => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
const dot = (a: readonly number[], b: readonly number[]) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

let seed = 7;
const random = () => {
  seed = (seed * 48271) % 2147483647;
  return seed / 2147483647;
};

/** Where a ray meets a convex piece, as a multiple of its direction; null where it does not. */
function meets(eye: V, ray: V, { corners }: Piece<unknown>): number | null {
  const n = cross(minus(corners[1], corners[0]), minus(corners[2], corners[0]));
  const t = dot(minus(corners[0], eye), n) / dot(ray, n);
  if (!(t > 0)) return null;
  const at = eye.map((x, k) => x + t * ray[k]) as V;
  const inside = corners.every((p, i) => {
    const q = corners[(i + 1) % corners.length];
    return dot(cross(minus(q, p), minus(at, p)), n) >= -1e-12;
  });
  return inside ? t : null;
}

const area = ({ corners }: Piece<unknown>) => {
  let sum = 0;
  for (let i = 1; i + 1 < corners.length; i++)
    sum +=
      Math.hypot(...cross(minus(corners[i], corners[0]), minus(corners[i + 1], corners[0]))) / 2;
  return sum;
};

function sheet(of: number): Piece<number> {
  const at = [random() * 4 - 2, random() * 4 - 2, -4 - random() * 4];
  const [u, v] = [0, 1].map(() => [random() - 0.5, random() - 0.5, random() - 0.5]);
  const corners = [
    [-2, -2],
    [2, -2],
    [2, 2],
    [-2, 2],
  ].map(([a, b]) => [...at.map((x, k) => x + a * u[k] + b * v[k]), a]);
  return { corners, of };
}

describe('pieces in order of depth', () => {
  it('are met by every ray from the farthest to the nearest, also through one another', () => {
    const given = Array.from({ length: 30 }, (_, i) => sheet(i));
    const order = new DepthOrder(given);
    let met = 0;
    for (let view = 0; view < 6; view++) {
      const eye: V = [random() * 6 - 3, random() * 6 - 3, random() * 6 - 4];
      const pieces = order.from(eye);
      const all = pieces.reduce((sum, p) => sum + area(p), 0);
      expect(all).toBeCloseTo(
        given.reduce((sum, p) => sum + area(p), 0),
        6,
      );
      for (let k = 0; k < 150; k++) {
        const ray: V = [random() - 0.5, random() - 0.5, view % 2 ? -1 : random() - 0.7];
        const hits = pieces.map((p) => meets(eye, ray, p)).filter((t) => t !== null);
        met += hits.length;
        for (let i = 1; i < hits.length; i++) expect(hits[i]).toBeLessThan(hits[i - 1] + 1e-9);
      }
    }
    expect(met).toBeGreaterThan(500);
  });

  it('carry along what is linear over them', () => {
    // the fourth number is the first of the piece's own coordinates: a plane in space
    const given = Array.from({ length: 12 }, (_, i) => sheet(i));
    const solve = (p: Piece<number>, c: number[]) => {
      const [a, b, , d] = p.corners;
      const [u, v] = [minus(b, a), minus(d, a)];
      const w = minus(c, a);
      const [uu, uv, vv, wu, wv] = [dot(u, u), dot(u, v), dot(v, v), dot(w, u), dot(w, v)];
      return -2 + (4 * (wu * vv - wv * uv)) / (uu * vv - uv * uv);
    };
    const pieces = new DepthOrder(given).from([0, 0, 0]);
    expect(pieces.length).toBeGreaterThan(12);
    for (const piece of pieces)
      for (const c of piece.corners) expect(c[3]).toBeCloseTo(solve(given[piece.of], c), 6);
  });

  it('of one plane stay in the order given, and what has no extent is left out', () => {
    const square = (of: number, z: number): Piece<number> => ({
      corners: [
        [0, 0, z],
        [1, 0, z],
        [1, 1, z],
        [0, 1, z],
      ],
      of,
    });
    const none: Piece<number> = { corners: [[0, 0, 0], [1, 1, 1], [2, 2, 2]], of: 9 }; // prettier-ignore
    const order = new DepthOrder([none, square(0, -3), square(1, -3), square(2, -5)]);
    expect(order.from([0, 0, 0]).map((p) => p.of)).toEqual([2, 0, 1]);
    expect(order.from([0, 0, -9]).map((p) => p.of)).toEqual([0, 1, 2]);
    expect(new DepthOrder([none]).from([0, 0, 0])).toEqual([]);
    const many = Array.from({ length: 1000 }, (_, i) => square(i, -i));
    expect(new DepthOrder(many).from([0, 0, 5]).map((p) => p.of)).toEqual(
      many.map((p) => p.of).reverse(),
    );
  });
});
