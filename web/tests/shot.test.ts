/** A shot told at every frame or at some; keys bent on their curves, and taken as a group. */
import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { CameraReading } from '../src/lib/api/client';
import type { Shot } from '../src/project/known';
import { bentKey } from '../src/stations/move/curves';
import { pathOf, shotAt } from '../src/views/shot';

beforeEach(() => {
  vi.stubGlobal('window', { location: { origin: 'http://lantern.test' } });
});

const like = { width: 100, height: 80, cx: 50, cy: 40 } as CameraReading;
const told = (frames: number[]): Shot => ({
  digest: '',
  frames: frames.at(-1)! + 1,
  numbers: new Float64Array(
    frames.flatMap((f) => [f, f, 1, -f, 1, 0, 0, 0, 1, 0, 0, 0, 1, 900 + f]),
  ),
});

describe('a shot', () => {
  it('is where it is told to be, at the nearest frame that it is told at', () => {
    const every = told([0, 1, 2, 3, 4]);
    for (const f of [0, 1, 2, 3, 4]) expect(shotAt(every, f, like).position).toEqual([f, 1, -f]);
    const some = told([0, 40, 43, 80, 9_999]);
    expect(shotAt(some, 43, like).focal_px).toBe(943);
    expect(shotAt(some, 50, like).focal_px).toBe(943);
    expect(shotAt(some, 70, like).focal_px).toBe(980);
    expect(shotAt(some, 1e6, like).focal_px).toBe(900 + 9_999);
    expect(shotAt(some, -5, like).focal_px).toBe(900);
    expect(pathOf(some).map(([x]) => x)).toEqual([0, 40, 43, 80, 9_999]);
  });
});

describe('a key bent on its curve', () => {
  const place = { frame: 3, at: [1, 2, -5] };

  it('goes across, up and away, or takes another number', () => {
    expect(bentKey('position', place, 0, 0.5, undefined).at).toEqual([1.5, 2, -5]);
    expect(bentKey('position', place, 1, 0.5, undefined).at).toEqual([1, 2.5, -5]);
    expect(bentKey('position', place, 2, 0.5, undefined).at).toEqual([1, 2, -5.5]);
    expect(bentKey('focal_mm', { frame: 0, value: 30 }, 0, -50, undefined).value).toBe(2);
    expect(bentKey('roll_deg', { frame: 0, value: 3 }, 0, -5, undefined).value).toBe(-2);
  });

  it('turns and tilts its aim about the camera, as far away as it was', () => {
    const eye: [number, number, number] = [1, 2, 3];
    const ahead = { frame: 0, at: [1, 2, -7], proxy: null };
    const right = bentKey('aim', ahead, 0, 90, eye).at!;
    [11, 2, 3].forEach((v, i) => expect(right[i]).toBeCloseTo(v, 9));
    const up = bentKey('aim', ahead, 1, 30, eye).at!;
    [1, 7, 3 - 10 * Math.cos(Math.PI / 6)].forEach((v, i) => expect(up[i]).toBeCloseTo(v, 9));
    const back = bentKey('aim', bentKey('aim', ahead, 1, 30, eye), 1, -30, eye).at!;
    ahead.at.forEach((v, i) => expect(back[i]).toBeCloseTo(v, 9));
    // straight up there is no turn, so it stops before
    expect(bentKey('aim', ahead, 1, 400, eye).at![2]).toBeLessThan(3);
    const way = bentKey('aim', { frame: 0, at: [0, 0, -2], way: true }, 0, -90, eye).at!;
    [-2, 0, 0].forEach((v, i) => expect(way[i]).toBeCloseTo(v, 9));
  });

  it('stays on what it follows', () => {
    const follows = { frame: 0, at: [0, 1, 0], proxy: 'box-1' };
    expect(bentKey('aim', follows, 0, 20, [0, 0, 0])).toBe(follows);
  });
});

describe('keys as a group', () => {
  it('are marked either way, go along and are copied', async () => {
    const { group } = await import('../src/stations/shot/group.svelte');
    group.mark(40, 12);
    expect([group.first, group.last, group.goes]).toEqual([12, 40, false]);
    [group.to_first, group.to_last] = [20, 76];
    expect(group.change(true)).toEqual({
      verb: 'RetimeKeys', first: 12, last: 40, to_first: 20, to_last: 76, copies: true,
    }); // prettier-ignore
    group.arrive();
    expect([group.first, group.last, group.goes]).toEqual([20, 76, false]);
  });
});
