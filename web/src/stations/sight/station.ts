/** Sight: find the camera that took the picture. */
import { project } from '../../project/project.svelte';
import { tool } from '../../project/tool.svelte';
import type { Station } from '../../views/station';
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

function keys() {
  return {
    t: () => tool.take('trace'),
    d: () => tool.take('datum'),
    m: () => tool.take('tape'),
    e: () => tool.take('take'),
    r: () => tool.take('rectangle'),
    c: () => tool.take('corner'),
    g: () => void project.keep({ verb: 'TakeSpread' }),
    n: () => void project.keep({ verb: 'TakeAdvised' }),
    j: nextWorst,
    '1': () => drawing.turn('across'),
    '2': () => drawing.turn('away'),
    '3': () => drawing.turn('up'),
    '4': () => drawing.turn('direction'),
    '5': () => drawing.nextBearing(),
    Delete: remove,
    Backspace: remove,
    ...Object.fromEntries(
      ARROWS.flatMap(([key, dx, dy]) => [
        [key, () => sightHand.nudge(dx * 0.1, dy * 0.1)],
        [`Shift+${key}`, () => sightHand.nudge(dx, dy)],
      ]),
    ),
  };
}

export const sight: Station = {
  name: 'sight',
  title: 'Sight',
  lit,
  Tray,
  Overlay,
  Corner,
  hand: sightHand,
  chips,
  keys,
  sheet: [
    ['E', 'take found edges, by click or sweep'],
    ['G', 'take a good spread of them'],
    ['N', 'take the advised one'],
    ['T', 'trace an edge; hold Shift to keep it off the picture’s edge'],
    ['1 2 3', 'heading: Across, Away, Up'],
    ['4', 'heading by direction'],
    ['5', 'the next bearing, or a new one'],
    ['R', 'lay a rectangle'],
    ['C', 'mark a hidden corner'],
    ['D', 'pick the datum'],
    ['M', 'lay a tape'],
    ['J', 'the worst trace'],
    ['Arrows', 'nudge by a tenth of a pixel; with Shift by one'],
    ['Del', 'delete what is selected'],
  ],
  draws: () => ({
    plate: true,
    cast: false,
    wire: false,
    walk: { cast: false, wire: true },
    shot: false,
    grid: checks.laidGrid,
    box: checks.box,
  }),
};
