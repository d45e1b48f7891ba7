/** The history's steps in groups: what was done in one station without a long pause. */
import type { Step } from '../lib/api/client';

const PAUSE_MS = 10 * 60 * 1000;

export interface Group {
  key: number;
  station: string;
  from: string;
  to: string;
  steps: Step[];
}

/** steps: newest first. wanted: words that a step's title or station must all have. */
export function grouped(steps: Step[], wanted: string): Group[] {
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  const out: Group[] = [];
  for (const step of steps) {
    const text = `${step.title} ${step.station}`.toLowerCase();
    if (!words.every((w) => text.includes(w))) continue;
    const station = step.station[0].toUpperCase() + step.station.slice(1);
    const last = out.at(-1);
    const pause = last ? Date.parse(last.from) - Date.parse(step.made_at) : Infinity;
    if (last && last.station === station && pause < PAUSE_MS) {
      last.steps.push(step);
      last.from = step.made_at;
    } else {
      const { number, made_at } = step;
      out.push({ key: number, station, from: made_at, to: made_at, steps: [step] });
    }
  }
  return out;
}
