import { describe, expect, it } from 'vitest';
import { DISAGREES, lengthOf, ordered, passes } from '../src/stations/sight/traces';
import { awayFrom } from '../src/views/near';

const trace = (name: string, heading: string, misfit_px: number, more = {}) => ({
  name,
  heading,
  long: misfit_px,
  trust: 1,
  read: { misfit_px, disagrees: false },
  ...more,
});
const ALL = [
  trace('Across 10', 'across', 0.4, { long: 30 }),
  trace('Across 2', 'across', 2.1, { long: 10, trust: 0.5 }),
  trace('Up 1', 'up', 0.2, { long: 20, read: { misfit_px: 0.2, disagrees: true } }),
];
const names = (order: Parameters<typeof ordered>[1]) => ordered(ALL, order).map((t) => t.name);

describe('traces as a list', () => {
  it('orders them', () => {
    expect(names('worst')).toEqual(['Up 1', 'Across 2', 'Across 10']);
    expect(names('name')).toEqual(['Across 2', 'Across 10', 'Up 1']);
    expect(names('longest')).toEqual(['Across 10', 'Up 1', 'Across 2']);
    expect(names('trust')[0]).toBe('Across 2');
  });

  it('takes those of a heading, or those that disagree', () => {
    expect(ALL.filter(passes('all'))).toEqual(ALL);
    expect(ALL.filter(passes('across'))).toHaveLength(2);
    expect(ALL.filter(passes(DISAGREES)).map((t) => t.name)).toEqual(['Up 1']);
  });

  it('measures along all of their points', () => {
    expect(lengthOf([[0, 0], [3, 4], [3, 10]])).toBe(11); // prettier-ignore
    expect(lengthOf([[1, 1]])).toBe(0);
  });

  it('tells how far a place is from a line', () => {
    expect(awayFrom([5, 3], [0, 0], [10, 0])).toBe(3);
    expect(awayFrom([13, 4], [0, 0], [10, 0])).toBe(5);
    expect(awayFrom([3, 4], [0, 0], [0, 0])).toBe(5);
  });
});
