/** Cameras as the graphics card takes them, and rays from them. Same frames as the core:
 *  pixels from the top-left corner, the camera looking along its own -Z. */
import { Matrix4, PerspectiveCamera, Vector3 } from 'three';
import type { CameraReading } from '../lib/api/client';

export type Point = [number, number];

/** The part of a camera's picture that a view shows: its corner in picture pixels, and scale. */
export interface Window2D {
  x: number;
  y: number;
  zoom: number;
  width: number;
  height: number;
}

/** How near and how far is drawn, in the world’s size; the nearest as in the core. */
const [NEAR, FAR] = [0.01, 12_000];

/** The scene's own measure, from which limits in metres follow: the camera's height over the
 *  ground, or a little where it stands on it. */
export const sizeOf = (c: CameraReading) => Math.max(Math.abs(c.position[1]), 0.2);

export function fit(width: number, height: number, vw: number, vh: number, margin = 0): Window2D {
  const zoom = Math.min((vw - margin) / width, (vh - margin) / height);
  return {
    zoom,
    x: width / 2 - vw / 2 / zoom,
    y: height / 2 - vh / 2 / zoom,
    width: vw,
    height: vh,
  };
}

export const toView = (w: Window2D, [x, y]: Point): Point => [
  (x - w.x) * w.zoom,
  (y - w.y) * w.zoom,
];
/** The two ends of a horizon a x + b y + c = 0 (picture pixels) over the whole plate's width. */
export function acrossPlate(
  w: Window2D,
  width: number,
  horizon: readonly number[] | null,
): [Point, Point] | null {
  if (!horizon || Math.abs(horizon[1]) < 1e-6) return null;
  const y = (x: number) => -(horizon[0] * x + horizon[2]) / horizon[1];
  return [toView(w, [0, y(0)]), toView(w, [width, y(width)])];
}
/** Where words so long stand beside a place of the view: on its left where the right has no room. */
export const beside = (w: Window2D, [x, y]: Point, long: number) =>
  x + 8 + long > w.width
    ? { x: x - 8, y: y - 8, 'text-anchor': 'end' as const }
    : { x: x + 8, y: y - 8 };
export const toPicture = (w: Window2D, [x, y]: Point): Point => [
  x / w.zoom + w.x,
  y / w.zoom + w.y,
];

/** A three.js camera that shows a window of a camera's picture: pan and zoom in 2D, so that
 *  nothing about the camera itself can move. */
export function aim(out: PerspectiveCamera, c: CameraReading, w: Window2D) {
  const sx = (2 * c.focal_px * w.zoom) / w.width;
  const sy = (2 * c.focal_px * w.zoom) / w.height;
  const ox = (2 * (c.cx - w.x) * w.zoom) / w.width - 1;
  const oy = 1 - (2 * (c.cy - w.y) * w.zoom) / w.height;
  const size = sizeOf(c);
  const [near, far] = [NEAR * size, FAR * size];
  // prettier-ignore
  out.projectionMatrix.set(
    sx, 0, -ox, 0,
    0, sy, -oy, 0,
    0, 0, -(far + near) / (far - near), (-2 * far * near) / (far - near),
    0, 0, -1, 0,
  );
  out.projectionMatrixInverse.copy(out.projectionMatrix).invert();
  const [a, b, d] = c.rotation;
  const [x, y, z] = c.position;
  out.matrixAutoUpdate = false;
  // prettier-ignore
  out.matrix.set(a[0], b[0], d[0], x, a[1], b[1], d[1], y, a[2], b[2], d[2], z, 0, 0, 0, 1);
  out.matrixWorld.copy(out.matrix);
  out.matrixWorldInverse.copy(out.matrix).invert();
  out.matrixWorldAutoUpdate = false;
}

/** The lantern's matrix: a world point, less the lantern's place, to plate pixels times depth. */
export function thrower(c: CameraReading): Matrix4 {
  const f = c.focal_px;
  const [a, b, d] = c.rotation;
  const row = (k: number) => [f * a[k] - c.cx * d[k], -f * b[k] - c.cy * d[k], -d[k]];
  const [x, y, z] = [row(0), row(1), row(2)];
  // prettier-ignore
  return new Matrix4().set(
    x[0], y[0], z[0], 0,
    x[1], y[1], z[1], 0,
    x[2], y[2], z[2], 0,
    0, 0, 0, 1,
  );
}

/** Where a world point is seen, in picture pixels; null behind the camera. */
export function project(c: CameraReading, p: readonly number[]): Point | null {
  const v = [0, 1, 2].map((i) => p[i] - c.position[i]);
  const [x, y, z] = c.rotation.map((r) => r[0] * v[0] + r[1] * v[1] + r[2] * v[2]);
  if (z > -NEAR * sizeOf(c)) return null;
  return [c.cx + (c.focal_px * x) / -z, c.cy - (c.focal_px * y) / -z];
}

/** Where a picture point meets a level, for drawing; what is kept is worked out by the core. */
export function onLevel(c: CameraReading, at: Point, level = 0): [number, number] | null {
  const r = rayOf(c, at);
  const drop = c.position[1] - level;
  if (drop * r[1] >= 0) return null;
  const t = drop / -r[1];
  return [c.position[0] + r[0] * t, c.position[2] + r[2] * t];
}

/** A place in a proxy's own frame (rows of x, y, z and place), in the world. */
export const inWorld = (frame: readonly number[], p: readonly number[]) =>
  [0, 4, 8].map((r) => frame[r] * p[0] + frame[r + 1] * p[1] + frame[r + 2] * p[2] + frame[r + 3]);

export const vector = (p: readonly number[]) => new Vector3(p[0], p[1], p[2]);

/** The ray of a picture pixel, of unit depth. */
export function rayOf(c: CameraReading, [x, y]: Point): number[] {
  const own = [(x - c.cx) / c.focal_px, (c.cy - y) / c.focal_px, -1];
  const [a, b, d] = c.rotation;
  return [0, 1, 2].map((k) => a[k] * own[0] + b[k] * own[1] + d[k] * own[2]);
}

export interface Plane {
  point: readonly number[];
  normal: readonly number[];
}

/** Where a picture point meets a plane; null where it never does, or behind the camera. */
export function onPlane(c: CameraReading, at: Point, { point, normal }: Plane): number[] | null {
  const r = rayOf(c, at);
  const dot = (v: readonly number[]) => v[0] * normal[0] + v[1] * normal[1] + v[2] * normal[2];
  const t = dot(point.map((p, i) => p - c.position[i])) / dot(r);
  return t > 0 && Number.isFinite(t) ? r.map((v, i) => c.position[i] + t * v) : null;
}
