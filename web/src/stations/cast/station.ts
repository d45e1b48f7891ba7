/** Cast: the picture, thrown onto what stands. */
import { project } from '../../project/project.svelte';
import type { Compare, Station } from '../../views/station';
import { maps } from '../../project/maps.svelte';
import { drawsShot, inTime, nothingStands } from '../drawn';
import MapOverlay from '../shot/MapOverlay.svelte';
import TimeStrip from '../shot/TimeStrip.svelte';
import BorrowOverlay from './BorrowOverlay.svelte';
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
  get Strip() {
    return show.shot ? TimeStrip : undefined;
  },
  get Overlay() {
    return show.shot ? MapOverlay : BorrowOverlay;
  },
  hand: castHand,
  walkHand: castWalkHand,
  chips: () => [
    ...(show.shot
      ? maps.chips
      : SWITCHES.map(([label, name]) => ({
          label,
          on: show[name],
          press: () => (show[name] = !show[name]),
        }))),
    { label: 'Shot', on: show.shot, press: () => (show.shot = !show.shot) },
  ],
  verbs: () => [
    { words: 'the shot, or the lens', key: 'F', on: ['f'], run: () => (show.shot = !show.shot) },
    ...(show.shot ? inTime() : []),
    { words: 'in the cast sheet: to another place; take or leave', key: 'arrows, Space' },
    { words: 'take the split', run: () => void project.keep({ verb: 'TakeSplit' }) },
    {
      words: 'add a lantern',
      run: () => void project.keep({ verb: 'AddLantern', name: 'lantern' }),
    },
  ],
  draws: () => {
    if (show.shot) return { ...drawsShot(), lit: show.only };
    return {
      lit: show.only,
      plate: show.plate || show.compare !== 'off',
      cast: show.picture || show.compare !== 'off',
      wire: show.wire && show.compare === 'off',
      compare: comparing(),
      walk: { cast: show.picture, wire: show.wire },
      shot: false,
      says: nothingStands(),
    };
  },
};
