/** Sight: find the camera that took the picture. */
import { project } from '../../project/project.svelte';
import { tool } from '../../project/tool.svelte';
import { selection } from '../../project/selection.svelte';
import type { Layer, Station, Verb } from '../../views/station';
import { checks } from './checks.svelte';
import { drawing } from './drawing.svelte';
import { sightHand } from './hand.svelte';
import Corner from './Corner.svelte';
import Overlay from './Overlay.svelte';
import { nextWorst, remove } from './selected';
import Tray from './Tray.svelte';

function lit() {
  const r = project.reading;
  if (r?.settled && r.verdict !== 'Rough' && r.verdict !== 'Open') return 'lit';
  return project.scene?.sighting.traces?.length ? 'part' : 'dark';
}

function chips() {
  const settled = project.reading?.settled;
  const SWITCHES = [
    ['Edges', 'edges'],
    ['Grid', 'grid'],
    ['Horizon', 'horizon'],
    ['Test box', 'testBox'],
    ['Figures', 'figures'],
    ['Overview', 'overview'],
  ] as const;
  return SWITCHES.map(([label, name]) => ({
    label,
    on: checks[name],
    disabled: !settled && (name === 'testBox' || name === 'figures'),
    press: () => (checks[name] = !checks[name]),
  }));
}

const ARROWS: [string, number, number][] = [
  ['ArrowRight', 1, 0],
  ['ArrowLeft', -1, 0],
  ['ArrowUp', 0, -1],
  ['ArrowDown', 0, 1],
];

const unlocked = () =>
  project.scene?.sighting.locked ? 'The sighting is locked. Unlock it first.' : null;
const aTool = (words: string, key: string, name: string): Verb => ({
  words,
  key: key.toUpperCase(),
  on: [key],
  run: () => tool.take(name),
  needs: unlocked,
});

const verbs = (): Verb[] => [
  aTool('take found edges, by click or sweep', 'e', 'take'),
  {
    words: 'take a good spread of them',
    key: 'G',
    on: ['g'],
    run: () => void project.keep({ verb: 'TakeSpread' }),
    needs: unlocked,
  },
  {
    words: 'take the advised one',
    key: 'N',
    on: ['n'],
    run: () => void project.keep({ verb: 'TakeAdvised' }),
    needs: unlocked,
  },
  aTool('trace an edge; hold Shift to keep it off the picture’s edge', 't', 'trace'),
  { words: 'heading Across', key: '1', on: ['1'], run: () => drawing.turn('across') },
  { words: 'heading Away', key: '2', on: ['2'], run: () => drawing.turn('away') },
  { words: 'heading Up', key: '3', on: ['3'], run: () => drawing.turn('up') },
  { words: 'heading by direction', key: '4', on: ['4'], run: () => drawing.turn('direction') },
  {
    words: 'the next bearing, or a new one',
    key: '5',
    on: ['5'],
    run: () => drawing.nextBearing(),
  },
  aTool('lay a rectangle', 'r', 'rectangle'),
  aTool('mark a hidden corner', 'c', 'corner'),
  aTool('pick the datum', 'd', 'datum'),
  aTool('lay a tape', 'm', 'tape'),
  { words: 'the worst trace', key: 'J', on: ['j'], run: nextWorst },
  { words: 'nudge by a tenth of a pixel; with Shift by one', key: 'Arrows' },
  ...ARROWS.flatMap(([key, dx, dy]) => [
    { words: '', on: [key], run: () => sightHand.nudge(dx * 0.1, dy * 0.1) },
    { words: '', on: [`Shift+${key}`], run: () => sightHand.nudge(dx, dy) },
  ]),
  {
    words: 'delete what is selected',
    key: 'Del',
    on: ['Delete', 'Backspace'],
    run: remove,
    needs: () => (selection.only ? null : 'Nothing is selected. Press a trace or a mark first.'),
  },
];

export const sight: Station = {
  name: 'sight',
  title: 'Sight',
  lit,
  Tray,
  Overlay,
  Corner,
  hand: sightHand,
  chips,
  verbs,
  draws: () => {
    const box: Layer[] = checks.box ? [{ of: 'box', box: checks.box }] : [];
    const grid: Layer[] = checks.laidGrid ? [{ of: 'grid', grid: checks.laidGrid }] : [];
    return {
      layers: [{ of: 'plate' }, ...grid, ...box],
      walk: [{ of: 'wire' }, ...box],
      shot: false,
      taken: checks.taken,
    };
  },
};
