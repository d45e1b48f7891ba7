import { describe, expect, it } from 'vitest';
import type { LanternShown } from '../src/lib/api/client';
import { partOf, withGuests, type Place } from '../src/project/guests';
import type { GuestKnown, Shape, Times } from '../src/project/known';

const turn = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];
const shape = (id: string) => ({ id, frame: turn }) as Shape;
const lantern = (id: string, digest: string) =>
  ({ id, digest, strength: 1, laid: true }) as LanternShown;
const place: Place = {
  proxies: [{ id: 'wall', hidden: false }],
  shapes: new Map([['wall', shape('wall')]]),
  lanterns: [lantern('still', 'aa')],
  takes: new Map(),
};
const bird = {
  id: 'guest-4',
  pieces: [{ shape: shape('guest-4/0'), lantern: lantern('guest-4/0', 'bb') }],
} as GuestKnown;
const known = new Map([['guest-4', bird]]);
const times = {
  frames: 2,
  proxies: [],
  strengths: [],
  pictures: [],
  cameras: [],
  lights: [],
  haze: false,
  look: false,
  stands: ['guest-4/0'],
  numbers: new Float64Array([...turn, 1, 0, ...turn.map((v, i) => (i === 3 ? 7 : v)), 0.5, 9]),
} as unknown as Times;

describe('guests among what stands', () => {
  it('leaves a place without any as it is', () => {
    expect(withGuests(place, [], known, null, 0)).toBe(place);
    expect(withGuests(place, [{ id: 'guest-9' }], known, null, 0)).toBe(place);
  });

  it('lays each piece on its own and on nothing else', () => {
    const { proxies, shapes, lanterns, takes } = withGuests(
      place,
      [{ id: 'guest-4', hidden: true }],
      known,
      null,
      null,
    );
    expect(proxies.at(-1)).toEqual({ id: 'guest-4/0', hidden: true });
    expect(shapes.get('wall')).toBe(place.shapes.get('wall'));
    expect(shapes.get('guest-4/0')).toBe(bird.pieces[0].shape);
    expect(lanterns.at(-1)).toBe(bird.pieces[0].lantern);
    expect(takes.get('guest-4/0')!.lanterns).toEqual(['guest-4/0']);
    expect(partOf('guest-4/0')).toBe('guest-4');
  });

  it('stands where its own time has it, as strong, with its picture', () => {
    const at = withGuests(place, [{ id: 'guest-4' }], known, times, 1);
    expect(at.shapes.get('guest-4/0')!.frame[3]).toBe(7);
    expect(at.lanterns.at(-1)).toMatchObject({ strength: 0.5, digest: 'bb@9' });
    const first = withGuests(place, [{ id: 'guest-4' }], known, times, 0);
    expect(first.lanterns.at(-1)).toBe(bird.pieces[0].lantern);
  });
});
