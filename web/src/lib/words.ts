/** Numbers as people check them: fixed places, units, uncertainty. */
import type { Heading } from './api/client';

export const HEADINGS: Heading[] = ['across', 'away', 'up'];
export const NAMES: Record<Heading, string> = { across: 'Across', away: 'Away', up: 'Up' };
export const COLOURS: Record<Heading, string> = {
  across: '#f2a33a',
  away: '#3fc7c0',
  up: '#c792f5',
};
/** Each heading is told by its line's pattern as well as by its hue. */
export const PATTERNS: Record<Heading, string> = { across: '', away: '12 5', up: '9 4 2 4' };

/** What the next trace's heading is called. */
export const headingName = (h: Heading | 'direction') =>
  h === 'direction' ? 'By direction' : NAMES[h];

export const signed = (v: number, places = 1) =>
  `${v < 0 ? '−' : '+'}${Math.abs(v).toFixed(places)}`;
export const plain = (v: number, places = 2) => v.toFixed(places).replace('-', '−');

export function aspect(width: number, height: number): string {
  for (const [a, b] of [
    [1, 1],
    [4, 3],
    [3, 2],
    [16, 9],
    [16, 10],
    [5, 4],
    [2, 1],
    [3, 4],
    [2, 3],
    [9, 16],
    [4, 5],
  ])
    if (Math.abs(width / height - a / b) < 0.004) return `${a} : ${b}`;
  return `${(width / height).toFixed(2)} : 1`;
}

export function bytes(n: number): string {
  return n > 1e6 ? `${(n / 1e6).toFixed(1)} MB` : `${Math.max(1, Math.round(n / 1e3))} kB`;
}

/** What a trace is called: its heading, and which one of that heading it is. */
export function traceNames(traces: { id: string; heading: Heading }[]): Map<string, string> {
  const seen: Record<Heading, number> = { across: 0, away: 0, up: 0 };
  return new Map(traces.map((t) => [t.id, `${NAMES[t.heading]} ${++seen[t.heading]}`]));
}
