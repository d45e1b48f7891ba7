import { describe, expect, it } from 'vitest';
import { stroked, type Row } from '../src/stations/cast/sheet';

const row = (lanterns: string[]): Row => ({
  proxy: 'crate',
  face: null,
  name: 'crate',
  lanterns,
  own: false,
});
const stroke = (lantern: string, on: boolean) => ({ lantern, on, rows: new Set(['crate/']) });

describe('a drag over the cast sheet', () => {
  it('puts its lantern behind what an earlier one, still being kept, put there', () => {
    const taken = row(['still']);
    const all = [stroke('a', true), stroke('b', true), stroke('a', false)];
    expect(all.reduce((had, one) => stroked(taken, had, one), [...taken.lanterns])).toEqual([
      'still',
      'b',
    ]);
  });
  it('leaves a row as it is that it did not pass, or that has the lantern', () => {
    expect(stroked({ ...row(['still']), face: 2 }, ['still'], stroke('a', true))).toEqual([
      'still',
    ]);
    expect(stroked(row(['a', 'still']), ['a', 'still'], stroke('a', true))).toEqual(['a', 'still']);
  });
});
