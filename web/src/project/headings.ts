/** Headings and bearings: their names, and how they are told apart. */
import type { Heading } from '../lib/api/client';

export const HEADINGS: Heading[] = ['across', 'away', 'up'];
const NAMES: Record<string, string> = {
  across: 'Across',
  away: 'Away',
  up: 'Up',
  direction: 'By direction',
};
export const COLOURS: Record<'across' | 'away' | 'up', string> = {
  across: '#f2a33a',
  away: '#3fc7c0',
  up: '#c792f5',
};
const PATTERNS: Record<string, string> = { across: '', away: '12 5', up: '9 4 2 4' };
const ROSES = ['#e68aa5', '#f0a9bf', '#f7c8d6']; // bearings, one after another

/** What is no heading is a bearing, named by its letter. */
export const isBearing = (way: string) => way.length === 1;
/** What a heading or bearing is called, or the way that the next trace takes by itself. */
export const nameOf = (way: string) => NAMES[way] ?? `Bearing ${way}`;
export const colourOf = (way: string): string =>
  (COLOURS as Record<string, string>)[way] ?? ROSES[(way.charCodeAt(0) - 65) % ROSES.length];
/** Each is told by its line's pattern as well as by its hue; bearings are short dashes. */
export const patternOf = (way: string) => PATTERNS[way] ?? '4 4';
/** The headings, and the bearings that are there, in order. */
export const waysOf = (traces: { heading: Heading }[] | undefined): Heading[] => [
  ...HEADINGS,
  ...[...new Set((traces ?? []).map((t) => t.heading).filter(isBearing))].sort(),
];
/** The first letter that no bearing has. */
export const freeLetter = (taken: string[]) =>
  [...'ABCDEFGHIJKLMNOPQRSTUVWXYZ'].find((c) => !taken.includes(c)) ?? 'Z';

/** What a trace is called: its heading, and which one of that heading it is. */
export function traceNames(traces: { id: string; heading: Heading }[]): Map<string, string> {
  const seen: Record<string, number> = {};
  return new Map(
    traces.map((t) => {
      seen[t.heading] = (seen[t.heading] ?? 0) + 1;
      return [t.id, `${nameOf(t.heading)} ${seen[t.heading]}`];
    }),
  );
}
