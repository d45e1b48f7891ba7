/** Cast: the picture, thrown onto what stands. */
import { project } from '../../lib/project.svelte';
import type { Compare, Station } from '../../views/station';
import { nothingStands } from '../drawn';
import { castHand, castWalkHand } from './hand';
import { show } from './show.svelte';
import Tray from './Tray.svelte';

const SWITCHES = [
  ['Plate', 'plate'],
  ['Cast', 'picture'],
  ['Wire', 'wire'],
] as const;

function comparing(): Compare | null {
  if (show.compare === 'off') return null;
  return show.compare === 'wipe' ? { by: 'wipe', at: show.wipe } : { by: show.compare };
}

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
    plate: show.plate || show.compare !== 'off',
    cast: show.picture || show.compare !== 'off',
    wire: show.wire && show.compare === 'off',
    compare: comparing(),
    walk: { cast: show.picture, wire: show.wire },
    shot: false,
    says: nothingStands(),
  }),
};
