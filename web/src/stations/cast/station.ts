/** Cast: the picture, thrown onto what stands. */
import { project } from '../../project/project.svelte';
import type { Layer, Mixing, Station } from '../../views/station';
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

const DIFFERENCE = 8; // times which a difference is shown

/** How the cast is laid over the plate at the lens. */
function comparing(): Mixing {
  if (show.compare === 'wipe') return { wipe: show.wipe };
  if (show.compare === 'flicker') return { turns: true };
  return show.compare === 'difference' ? { blend: 'difference', times: DIFFERENCE } : {};
}

function layers(): Layer[] {
  const comparison = show.compare !== 'off';
  const out: Layer[] = show.plate || comparison ? [{ of: 'plate' }] : [];
  if (show.picture || comparison) out.push({ of: 'cast', lit: show.only, ...comparing() });
  if (show.wire && !comparison) out.push({ of: 'wire' });
  return out;
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
    if (show.shot) return drawsShot(show.only);
    const walk: Layer[] = show.picture ? [{ of: 'cast', lit: show.only }] : [];
    if (show.wire) walk.push({ of: 'wire' });
    return { layers: layers(), walk, shot: false, says: nothingStands() };
  },
};
