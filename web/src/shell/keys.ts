/** What the keyboard does. Every one of these is also a button somewhere, or in the palette. */
import { tinykeys } from 'tinykeys';
import { typing } from '../lib/typing';
import { carryOut } from '../project/carryout';
import { project } from '../project/project.svelte';
import { route } from '../project/route.svelte';
import { tool } from '../project/tool.svelte';
import { windows } from '../project/windows.svelte';
import type { Station, Verb } from '../views/station';
import { everywhere } from './verbs';

const byKey = (verbs: Verb[]) =>
  new Map(verbs.flatMap((verb) => (verb.on ?? []).map((name) => [name, verb] as const)));

/** Listen for the keys of all stations and of the station that is open. Returns how to stop. */
export function listen(stations: Station[], here: () => Station): () => void {
  const letGo: Verb = {
    words: '',
    on: ['Escape'],
    run: () => {
      here().hand?.cancel();
      project.drop();
      tool.putDown();
      windows.history = windows.keys = windows.palette = false;
      windows.mark = null;
      windows.whole = null;
    },
  };
  const common = byKey([...everywhere(stations), letGo]);
  const own = stations.flatMap((s) => [...byKey(s.verbs()).keys()]);
  const bound = (name: string) => (e: KeyboardEvent) => {
    const verb = byKey(here().verbs()).get(name) ?? common.get(name);
    const goes = name.startsWith('Alt+'); // which writes nothing into a field
    const field = e.target instanceof HTMLElement && e.target.closest('[data-undoes]');
    const leaves = goes || (!!field && /^\$mod\+(Shift\+)?[zy]$/.test(name));
    if (!verb || (typing(e) && !leaves) || route.project === null) return;
    if (name === 'Space' && e.target instanceof HTMLButtonElement) return; // it presses that
    e.preventDefault();
    if (goes) (document.activeElement as HTMLElement | null)?.blur?.(); // a field keeps its number
    carryOut(verb);
  };
  const names = new Set([...common.keys(), ...own, ...ONLY_SOMETIMES]);
  return tinykeys(window, Object.fromEntries([...names].map((name) => [name, bound(name)])));
}

/** Keys of verbs that a station does not have when the page is opened. */
const ONLY_SOMETIMES = ['Space', 'Home', 'End', 'ArrowLeft', 'ArrowRight'];
