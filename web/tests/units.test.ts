import { describe, expect, it } from 'vitest';
import { feet, length, metres } from '../src/lib/units.svelte';

describe('a typed length', () => {
  it.each([
    ['1.6', 1.6],
    ['1,6', 1.6],
    ['160 cm', 1.6],
    ['1600mm', 1.6],
    ['0.5 km', 500],
    ['−0.3', -0.3],
    ['-30 cm', -0.3],
    ['5\' 3"', 1.6002],
    ['5′ 3″', 1.6002],
    ['5 ft 3 in', 1.6002],
    ["5'", 1.524],
    ['63"', 1.6002],
    ['63 inches', 1.6002],
    ['-1\'6"', -0.4572],
  ])('%s is understood whichever units are chosen', (text, value) => {
    expect(metres(text, 'metric')).toBeCloseTo(value, 6);
  });

  it('is in feet where feet are chosen and no unit is typed', () => {
    expect(metres('5.25', 'feet')).toBeCloseTo(1.6002, 6);
    expect(metres('1.6 m', 'feet')).toBeCloseTo(1.6, 6);
  });

  it.each(['', '  ', 'tall', '1.6.2', '5 ft 3 in 2', '--3', "'", '1 mile', 'Infinity', 'NaN'])(
    '%s is no length',
    (text) => {
      expect(metres(text, 'metric')).toBeNull();
      expect(metres(text, 'feet')).toBeNull();
    },
  );
});

describe('a printed length', () => {
  it('never shows twelve inches', () => {
    expect(feet(1.8287)).toBe('6′ 0.0″');
    expect(feet(-1.6002)).toBe('−5′ 3.0″');
    for (let mm = 0; mm < 4000; mm += 1) expect(feet(mm / 1000)).not.toContain('12.0″');
  });

  it('reads back as what it was, to a twentieth of an inch', () => {
    for (let i = 0; i < 500; i++) {
      const m = ((i * 7919) % 100000) / 1000 - 50;
      expect(Math.abs(metres(feet(m), 'metric')! - m)).toBeLessThan(0.0254 / 20 + 1e-9);
      expect(metres(length(m, 3, 'metric'), 'feet')).toBeCloseTo(m, 9);
    }
  });
});
