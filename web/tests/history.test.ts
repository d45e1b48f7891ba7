import { describe, expect, it } from 'vitest';
import type { Step } from '../src/lib/api/client';
import { grouped } from '../src/shell/history';

const step = (number: number, station: Step['station'], minute: number, title: string): Step => ({
  number,
  station,
  title,
  made_at: new Date(Date.UTC(2026, 0, 1, 12, minute)).toISOString(),
  on_the_way: true,
});
const STEPS = [
  step(6, 'block', 40, 'Move crate 2'),
  step(5, 'block', 20, 'Name box 3 “crate 2”'),
  step(4, 'block', 19, 'Stand box 3'),
  step(3, 'sight', 18, 'Move Across 3'),
  step(2, 'sight', 12, 'Take 22 edges'),
  step(1, 'still', 11, 'Rename to Quay'),
];

describe('the history', () => {
  it('is grouped by station, and by pauses within one', () => {
    const groups = grouped(STEPS, '');
    expect(groups.map((g) => [g.station, g.steps.map((s) => s.number)])).toEqual([
      ['Block', [6]],
      ['Block', [5, 4]],
      ['Sight', [3, 2]],
      ['Still', [1]],
    ]);
    expect(groups[2].from < groups[2].to).toBe(true);
  });

  it('is searched by all words, in titles and stations, in any case', () => {
    const numbers = (wanted: string) =>
      grouped(STEPS, wanted).flatMap((g) => g.steps.map((s) => s.number));
    expect(numbers('CRATE')).toEqual([6, 5]);
    expect(numbers('sight move')).toEqual([3]);
    expect(numbers('nowhere')).toEqual([]);
  });
});
