/** Move: the shot camera in time. */
import { project } from '../../project/project.svelte';
import type { Station } from '../../views/station';
import { drawsShot, inTime } from '../drawn';
import { maps } from '../../project/maps.svelte';
import { keyHere } from './key';
import MapOverlay from '../shot/MapOverlay.svelte';
import Strip from '../shot/TimeStrip.svelte';
import Tray from './Tray.svelte';

export const move: Station = {
  name: 'move',
  title: 'Move',
  lit: () => {
    const keys = project.keys.length;
    return keys > 1 ? 'lit' : keys ? 'part' : 'dark';
  },
  Tray,
  Strip,
  Overlay: MapOverlay,
  chips: () => maps.chips,
  verbs: () => [
    { words: 'a key at this frame', key: 'K', on: ['k'], run: keyHere },
    ...inTime(),
    {
      words: 'push straight in by 1.5 m',
      run: () => void project.keep({ verb: 'Push', distance_m: 1.5 }),
    },
  ],
  draws: () => drawsShot(),
};
