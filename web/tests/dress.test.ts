import { describe, expect, it } from 'vitest';
import type { DressShown } from '../src/lib/api/client';
import type { Times } from '../src/project/known';
import { dressAt } from '../src/project/times';
import { monotone } from '../src/stations/dress/monotone';
import { sunOnto } from '../src/views/dress';
import { Vector4 } from 'three';

const light = (id: string) => ({
  id,
  kind: 'lamp' as const,
  energy: [1, 1, 1] as [number, number, number],
  place: [0, 2, 0] as [number, number, number],
  size: 0.1,
  does: 'adds' as const,
  shares: {},
  casters: [],
  around: null,
});
const dress: DressShown = {
  lights: [light('light-1'), light('light-2')],
  reliefs: [],
  haze: { colour: [1, 1, 1], density: 0.1, start: 0, fall: 0, level: 0, shares: {} },
  look: {
    linear: false,
    exposure: 0,
    contrast: 1,
    saturation: 1,
    grey: 0.46,
    curves: null,
    table: null,
    on_layers: null,
  },
};
const times: Times = {
  digest: 'd',
  stands: [],
  frames: 2,
  proxies: [],
  strengths: ['lamp'],
  pictures: [],
  cameras: [],
  lights: ['light-2'],
  haze: true,
  look: true,
  numbers: new Float64Array([
    1, 0, 2, 0, 1, 1, 1, 0.1, 0, 1, 1, 1, 3, 4, 5, 6, 7, 8, 0.2, 1, 2, 0.5,
  ]),
};

describe('what a scene is dressed with at a frame', () => {
  it('takes what is keyed, and leaves the rest the same object', () => {
    const now = dressAt(dress, times, 1)!;
    expect(now.lights[0]).toBe(dress.lights[0]);
    expect(now.lights[1].place).toEqual([3, 4, 5]);
    expect(now.lights[1].energy).toEqual([6, 7, 8]);
    expect(now.haze!.density).toBe(0.2);
    expect([now.look!.exposure, now.look!.contrast, now.look!.saturation]).toEqual([1, 2, 0.5]);
    expect(dressAt(dress, null, 1)).toBe(dress);
  });
});

describe('a curve as it is drawn', () => {
  it('is the monotone cubic that the core grades by', () => {
    const at = monotone([
      [0, 0.05],
      [0.3, 0.2],
      [0.7, 0.85],
      [1, 1],
    ]);
    const drawn = [0.1, 0.3, 0.5, 0.9].map(at);
    [0.073106948, 0.2, 0.525, 0.976893052].forEach((v, i) => expect(drawn[i]).toBeCloseTo(v, 8));
    const hump = monotone([
      [0, 0],
      [0.5, 0.9],
      [1, 0.2],
    ]);
    [0.3112, 0.8608, 0.7375].forEach((v, i) => expect(hump([0.1, 0.4, 0.75][i])).toBeCloseTo(v, 8));
    expect(
      monotone([
        [0, 0],
        [1, 0.5],
      ])(0.3),
    ).toBeCloseTo(0.15, 12);
  });
});

describe('a map of what a sun sees', () => {
  it('holds all that stands there, from one to two spans near', () => {
    const corners = new Float64Array([-3, 0, 2, 5, 1, -4, 0, 6, 0]);
    const onto = sunOnto({ ...light('light-1'), kind: 'sun', place: [0.4, 0.8, 0.3] }, corners);
    const span = onto.elements[15] / 2;
    const seen = [0, 3, 6].map((i) => {
      const p = new Vector4(corners[i], corners[i + 1], corners[i + 2], 1).applyMatrix4(onto);
      return [p.x, p.y, p.z];
    });
    for (const [x, y, near] of seen) {
      expect(Math.min(x, y)).toBeGreaterThan(7.9);
      expect(Math.max(x, y)).toBeLessThan(2048 - 7.9);
      expect(near).toBeGreaterThan(span * (1 - 1e-9));
      expect(near).toBeLessThan(2 * span * (1 + 1e-9));
    }
  });
});
