/** What the keyboard does. Every one of these is also a button somewhere. */
import { tinykeys } from 'tinykeys';
import { project } from '../project/project.svelte';
import { route } from '../project/route.svelte';
import { tool } from '../project/tool.svelte';
import { windows } from '../project/windows.svelte';
import type { Bindings, Station } from '../views/station';

const typing = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement &&
  !!e.target.closest('input, select, textarea, dialog, [role=dialog]');

/** Listen for the keys of all stations and of the station that is open. Returns how to stop. */
export function listen(stations: Station[], here: () => Station): () => void {
  const everywhere: Bindings = {
    '$mod+z': () => void project.undo(),
    '$mod+Shift+z': () => void project.redo(),
    '$mod+y': () => void project.redo(),
    '0': () => (windows.frame = null),
    v: () => windows.give('lens'),
    'Shift+v': () => windows.give('walk'),
    'Shift+?': () => (windows.keys = true),
    '?': () => (windows.keys = true), // where a layout has it without Shift
    Escape: () => {
      here().hand?.cancel();
      project.drop();
      tool.putDown();
      windows.history = windows.keys = false;
      windows.whole = null;
    },
    ...Object.fromEntries(
      stations.map((s, i) => [`Alt+${i + 1}`, () => route.go(route.project, s.name)]),
    ),
  };
  const own = new Set(stations.flatMap((s) => Object.keys(s.keys())));
  const bound = (name: string) => (e: KeyboardEvent) => {
    const work = here().keys()[name] ?? everywhere[name];
    const leaves = name.startsWith('Alt+'); // which writes nothing into a field
    if (!work || (typing(e) && !leaves) || route.project === null) return;
    if (name === 'Space' && e.target instanceof HTMLButtonElement) return; // it presses that
    e.preventDefault();
    if (leaves) (document.activeElement as HTMLElement | null)?.blur?.(); // a field keeps its number
    work();
  };
  const names = new Set([...Object.keys(everywhere), ...own]);
  return tinykeys(window, Object.fromEntries([...names].map((name) => [name, bound(name)])));
}
