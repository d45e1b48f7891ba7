/** Cast: the picture, thrown onto what stands. */
import { project } from '../../lib/project.svelte';
import type { Station } from '../../views/station';
import { nothingStands } from '../drawn';
import { castHand, castWalkHand } from './hand';
import { show } from './show.svelte';
import Tray from './Tray.svelte';

const SWITCHES = [
  ['Plate', 'plate'],
  ['Cast', 'picture'],
  ['Wire', 'wire'],
] as const;

export const cast: Station = {
  name: 'cast',
  title: 'Cast',
  lit: () => (project.scene?.proxies.length ? 'lit' : 'dark'),
  Tray,
  hand: castHand,
  walkHand: castWalkHand,
  chips: () =>
    SWITCHES.map(([label, name]) => ({
      label,
      on: show[name],
      press: () => (show[name] = !show[name]),
    })),
  keys: () => ({}),
  sheet: [],
  draws: () => ({
    plate: show.plate,
    cast: show.picture,
    wire: show.wire,
    walk: { cast: show.picture, wire: show.wire },
    shot: false,
    says: nothingStands(),
  }),
};
