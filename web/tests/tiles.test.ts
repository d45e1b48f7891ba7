import { describe, expect, it, vi } from 'vitest';
import { levelFor, levelWithin, partsOf } from '../src/views/tiles';

vi.hoisted(() => vi.stubGlobal('window', { location: { origin: 'http://lantern.test' } }));
const LEVELS = {
  sizes: [
    [1301, 700],
    [651, 350],
    [326, 175],
  ] as [number, number][],
  tile: 512,
  apron: 2,
};

describe('tiles', () => {
  it('of a level cover just what is looked at', () => {
    expect(partsOf(LEVELS, 0, [500, 100, 520, 110])).toEqual([
      { level: 0, x: 0, y: 0 },
      { level: 0, x: 1, y: 0 },
    ]);
    expect(partsOf(LEVELS, 0, [-9e3, -9e3, 9e3, 9e3])).toHaveLength(3 * 2);
    expect(partsOf(LEVELS, 1, [1100, 0, 1200, 50])).toEqual([{ level: 1, x: 1, y: 0 }]);
  });

  it('are of the level whose pixels are no larger than the screen’s', () => {
    expect([4, 1, 0.6, 0.5, 0.3, 0.25, 0.001].map((zoom) => levelFor(LEVELS, zoom))).toEqual([
      0, 0, 0, 1, 1, 2, 2,
    ]);
    expect([8192, 700, 400].map((longest) => levelWithin(LEVELS, longest))).toEqual([0, 1, 2]);
  });
});
