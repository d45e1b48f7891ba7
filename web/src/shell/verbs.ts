/** Everything that can be done, told once: by the keyboard, the sheet of keys and the palette. */
import { carryOut } from '../project/carryout';
import { project } from '../project/project.svelte';
import { route } from '../project/route.svelte';
import { windows } from '../project/windows.svelte';
import type { Station, Verb } from '../views/station';

/** What can be done in every station. */
export const everywhere = (stations: Station[]): Verb[] => [
  { words: 'undo', key: 'Ctrl Z', on: ['$mod+z'], run: () => void project.undo() },
  {
    words: 'redo',
    key: 'Ctrl Shift Z',
    on: ['$mod+Shift+z', '$mod+y'],
    run: () => void project.redo(),
  },
  {
    words: 'find anything that can be done',
    key: '/',
    on: ['/'],
    run: () => (windows.palette = true),
  },
  {
    words: 'pick by keys: a mark that the arrows move, finely with Shift, far with Ctrl',
    key: 'X',
    on: ['x'],
    run: () => windows.takeMark(),
  },
  { words: 'at the mark: press; with Shift take hold, then let go', key: 'Space' },
  { words: 'at the mark: nearer, farther', key: '+ −' },
  { words: 'peek: hold, and move the pointer', key: 'Q' },
  { words: 'fit the picture', key: '0', on: ['0'], run: () => (windows.frame = null) },
  {
    words: 'everything for the lens view, and back',
    key: 'V',
    on: ['v'],
    run: () => windows.give('lens'),
  },
  {
    words: 'everything for the walk view, and back',
    key: 'Shift V',
    on: ['Shift+v'],
    run: () => windows.give('walk'),
  },
  {
    words: 'the walk view’s room for the tray, and back',
    key: 'B',
    on: ['b'],
    run: () => windows.give('tray'),
  },
  ...stations.map((s, i) => ({
    words: `to ${s.title}`,
    key: `Alt ${i + 1}`,
    on: [`Alt+${i + 1}`],
    run: () => route.go(route.project, s.name),
  })),
  { words: 'let go of what is held', key: 'Esc' },
  // where a layout has it without Shift
  { words: 'these keys', key: '?', on: ['Shift+?', '?'], run: () => (windows.keys = true) },
  { words: 'the first steps', run: () => (windows.steps = true) },
  { words: 'the history', run: () => (windows.history = true) },
  { words: 'all projects', run: () => route.go(null) },
];

/** A verb as the palette lists it. */
export interface Listed {
  id: string;
  words: string;
  key: string;
  where: string;
  run: () => void;
}

/** Every verb that can be run: of the station that is open, everywhere, then of the others, which are
 *  gone to first. recent: ids of those that were run last, which come first. */
export function listed(stations: Station[], here: Station, recent: string[]): Listed[] {
  const out: Listed[] = [];
  const add = (where: string, verbs: Verb[], go: () => void) => {
    for (const verb of verbs)
      if (verb.run && verb.words)
        out.push({
          id: `${where}: ${verb.words}`,
          words: verb.words,
          key: verb.key ?? '',
          where,
          run: () => {
            go();
            carryOut(verb);
          },
        });
  };
  const own = (s: Station): Verb[] => [
    ...s.verbs(),
    ...s.chips().map((chip) => ({
      words: `${chip.on ? 'hide' : 'show'}: ${chip.label.toLowerCase()}`,
      run: chip.press,
      needs: () => (chip.disabled ? `${chip.label} cannot be shown yet.` : null),
    })),
  ];
  add(here.title, own(here), () => undefined);
  add('Everywhere', everywhere(stations), () => undefined);
  for (const s of stations)
    if (s !== here) add(s.title, own(s), () => route.go(route.project, s.name));
  const rank = (one: Listed) => {
    const at = recent.indexOf(one.id);
    return at < 0 ? recent.length : at;
  };
  return out
    .map((one, i) => [rank(one), i, one] as const)
    .sort((a, b) => a[0] - b[0] || a[1] - b[1])
    .map(([, , one]) => one);
}
