import { PerspectiveCamera, Vector3, Vector4 } from 'three';
import { describe, expect, it } from 'vitest';
import type { CameraReading } from '../src/lib/api/client';
import {
  aim,
  beside,
  fit,
  onLevel,
  project,
  thrower,
  toPicture,
  toView,
  type Point,
} from '../src/views/camera';

/** A camera turned by yaw, then tilted, as the conventions have it. */
function camera(yaw: number, tilt: number, height = 1.6): CameraReading {
  const [cy, sy, ct, st] = [Math.cos(yaw), Math.sin(yaw), Math.cos(tilt), Math.sin(tilt)];
  return {
    width: 1920,
    height: 1280,
    focal_px: 1700,
    cx: 930,
    cy: 655,
    rotation: [
      [cy, 0, -sy],
      [sy * st, ct, cy * st],
      [sy * ct, -st, cy * ct],
    ],
    position: [0.4, height, -0.7],
  };
}
const SIGHTED = camera(0.4, -0.1);
const PLACES: Point[] = [
  [200, 900],
  [960, 1100],
  [1800, 1279],
];

describe('a sighted camera', () => {
  it('looks along its own -Z: what lies straight ahead is at the principal point', () => {
    const ahead = SIGHTED.rotation[2].map((v, i) => SIGHTED.position[i] - 5 * v);
    expect(project(SIGHTED, ahead)![0]).toBeCloseTo(930, 6);
    expect(project(SIGHTED, ahead)![1]).toBeCloseTo(655, 6);
    const behind = SIGHTED.rotation[2].map((v, i) => SIGHTED.position[i] + 5 * v);
    expect(project(SIGHTED, behind)).toBeNull();
  });

  it.each(PLACES)('sees at %f, %f what it reaches on a level from there', (x, y) => {
    for (const level of [0, 0.8, -1.2]) {
      const there = onLevel(SIGHTED, [x, y], level)!;
      const back = project(SIGHTED, [there[0], level, there[1]])!;
      expect(back[0]).toBeCloseTo(x, 6);
      expect(back[1]).toBeCloseTo(y, 6);
    }
  });

  it('reaches nothing on the ground from above its horizon', () => {
    expect(onLevel(camera(0, 0), [960, 600])).toBeNull();
    expect(onLevel(camera(0, 0), [960, 700])).not.toBeNull();
  });

  it('throws a world point where it sees it', () => {
    const p = [1.1, 0.4, -6];
    const from = p.map((v, i) => v - SIGHTED.position[i]);
    const h = new Vector4(from[0], from[1], from[2], 1).applyMatrix4(thrower(SIGHTED));
    const seen = project(SIGHTED, p)!;
    expect(h.x / h.z).toBeCloseTo(seen[0], 6);
    expect(h.y / h.z).toBeCloseTo(seen[1], 6);
  });

  it('is drawn where it sees, however the view is panned and zoomed', () => {
    const drawn = new PerspectiveCamera();
    const p = [1.1, 0.4, -6];
    for (const win of [
      fit(1920, 1280, 800, 700),
      { zoom: 3, x: 500, y: 420, width: 640, height: 480 },
    ]) {
      aim(drawn, SIGHTED, win);
      const v = new Vector3(p[0], p[1], p[2]).project(drawn);
      const [x, y] = toView(win, project(SIGHTED, p)!);
      expect(((v.x + 1) / 2) * win.width).toBeCloseTo(x, 4);
      expect(((1 - v.y) / 2) * win.height).toBeCloseTo(y, 4);
    }
  });
});

describe('a view of the picture', () => {
  it('shows all of it, in the middle', () => {
    const win = fit(1920, 1280, 800, 700);
    expect(toView(win, [960, 640])).toEqual([400, 350]);
    expect(toView(win, [0, 0])[0]).toBeCloseTo(0, 9);
  });

  it('goes back and forth', () => {
    const win = { zoom: 0.37, x: -20, y: 130, width: 640, height: 480 };
    const back = toPicture(win, toView(win, [123.4, 567.8]));
    expect(back[0]).toBeCloseTo(123.4, 9);
    expect(back[1]).toBeCloseTo(567.8, 9);
  });

  it('keeps words inside', () => {
    const win = fit(100, 100, 400, 400);
    expect(beside(win, [100, 50], 70)).toEqual({ x: 108, y: 42 });
    expect(beside(win, [390, 50], 70)).toEqual({ x: 382, y: 42, 'text-anchor': 'end' });
  });
});
