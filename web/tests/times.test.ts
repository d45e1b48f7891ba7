import { describe, expect, it } from 'vitest';
import type { LanternShown } from '../src/lib/api/client';
import type { Shape, Times } from '../src/project/known';
import { lanternsAt, pictureAt, plateOf, shapesAt } from '../src/project/times';

const shape = (id: string) => ({ id, frame: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0] }) as Shape;
const lantern = (id: string, digest: string) => ({ id, digest, strength: 1 }) as LanternShown;
const frame = (x: number) => [1, 0, 0, x, 0, 1, 0, 0, 0, 0, 1, 0];
const times: Times = {
  digest: 'd',
  stands: [],
  frames: 3,
  proxies: ['door'],
  strengths: ['lamp'],
  lights: [],
  haze: false,
  look: false,
  pictures: ['smoke'],
  cameras: [],
  numbers: new Float64Array([...frame(0), 1, 0, ...frame(2), 0.5, 7, ...frame(4), 0.25, 9]),
};
const shapes = new Map(['door', 'wall'].map((id) => [id, shape(id)]));
const lanterns = [lantern('lamp', 'aa'), lantern('smoke', 'bb'), lantern('still', 'cc')];

describe('the scene at a frame', () => {
  it('moves what is tracked and leaves the rest the same object', () => {
    const at = shapesAt(shapes, times, 1);
    expect(at.get('door')!.frame[3]).toBe(2);
    expect(at.get('wall')).toBe(shapes.get('wall'));
    expect(shapes.get('door')!.frame[3]).toBe(0);
  });

  it('takes strengths and pictures, and names a picture behind its plate', () => {
    const [lamp, smoke, still] = lanternsAt(lanterns, times, 1);
    expect(lamp.strength).toBe(0.5);
    expect(smoke.digest).toBe('bb@7');
    expect(plateOf(smoke.digest)).toBe('bb');
    expect(still).toBe(lanterns[2]);
    expect(lanternsAt(lanterns, times, 0)).toEqual(lanterns);
  });

  it('throws footage from where it was taken at each frame', () => {
    const camera = (x: number) => [x, 1, 2, 1, 0, 0, 0, 1, 0, 0, 0, 1, 700 + x];
    const numbers = new Float64Array([1, 0, ...camera(0), 9, 1, 1, ...camera(5), 8]);
    const own = { focal_px: 600, cx: 3, rotation: [], position: [] };
    const along = { ...lantern('still', 'cc'), camera: own } as unknown as LanternShown;
    const filmed: Times = { ...times, proxies: [], frames: 2, cameras: ['still'], numbers };
    filmed.strengths = ['lamp'];
    filmed.pictures = ['still'];
    filmed.haze = true;
    const [, now] = lanternsAt([lanterns[0], along], filmed, 1);
    expect(now.camera.position).toEqual([5, 1, 2]);
    expect(now.camera.focal_px).toBe(705);
    expect(now.camera.cx).toBe(3);
    expect(now.camera.rotation[2]).toEqual([0, 0, 1]);
    expect(now.digest).toBe('cc@1');
  });

  it('stays at its ends past them, and as it is where nothing changes', () => {
    expect(shapesAt(shapes, times, 99).get('door')!.frame[3]).toBe(4);
    expect(shapesAt(shapes, times, -1).get('door')!.frame[3]).toBe(0);
    expect(shapesAt(shapes, null, 1)).toBe(shapes);
    expect(lanternsAt(lanterns, { ...times, strengths: [], pictures: [] }, 1)).toBe(lanterns);
  });
});

describe('the picture that is shown at a frame', () => {
  const ten = {
    count: 10,
    first: 0,
    rate: 24,
    offset: 0,
    rests: [],
    loops: false,
    begins: 0,
    ends: null,
  };
  const shown = (playing: object, ...frames: number[]) =>
    frames.map((f) => pictureAt({ ...ten, ...playing }, f, 24));
  it('begins where its plate does, and holds at both ends', () => {
    expect(shown({ offset: 4 }, 0, 4, 5, 13, 99)).toEqual([0, 0, 1, 9, 9]);
    expect(shown({ rate: 12 }, 0, 1, 2, 3)).toEqual([0, 0, 1, 1]);
    expect(pictureAt({ ...ten, count: 9999, rate: 24000 / 1001 }, 7777, 24000 / 1001)).toBe(7777);
  });
  it('uses a part, rests, and goes round', () => {
    expect(shown({ begins: 2, ends: 4 }, 0, 1, 2, 3)).toEqual([2, 3, 4, 4]);
    expect(shown({ begins: 2, ends: 4, loops: true }, 0, 2, 3, 4)).toEqual([2, 4, 2, 3]);
    expect(shown({ rests: [{ frame: 2, frames: 3 }] }, 1, 2, 4, 5, 6)).toEqual([1, 2, 2, 2, 3]);
  });
});
