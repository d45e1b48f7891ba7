import { describe, expect, it } from 'vitest';
import { arithmetic } from '../src/lib/arithmetic';
import { metres } from '../src/lib/units.svelte';

const number = (t: string) => (t.trim() && Number.isFinite(Number(t)) ? Number(t) : null);
const length = (t: string) => metres(t, 'metric');

describe('a sum in a field', () => {
  it.each([
    ['2.4/3', 0.8],
    ['1+2*3', 7],
    ['(1 + 2) * 3', 9],
    ['-3 + 5', 2],
    ['2 * -3', -6],
    ['10 - 4 - 3', 3],
    ['−1.5', -1.5],
  ])('%s', (text, value) => expect(arithmetic(text, number)).toBeCloseTo(value, 9));

  it.each([
    ['2.4/3', 0.8],
    ['6ft 2in', 1.8796],
    ['6ft 2in / 2', 0.9398],
    ['1 m + 20cm', 1.2],
    ['-30 cm', -0.3],
    ['(5\' 3" + 2in) * 2', 3.302],
  ])('of lengths: %s', (text, value) => expect(arithmetic(text, length)).toBeCloseTo(value, 6));

  it.each(['', '1/0', '2 +', '(1', '1)', '--3', '2**3', 'tall', '3 m * 2 m', '4 5'])(
    '%s is none',
    (text) => expect(arithmetic(text, length)).toBeNull(),
  );

  it('divides by plain numbers also where lengths are in feet', () => {
    expect(arithmetic('9/3', (t) => metres(t, 'feet'))).toBeCloseTo(0.9144, 6);
  });
});
