/** Move: the shot camera in time. */
import { playhead } from '../../project/playhead.svelte';
import { project } from '../../project/project.svelte';
import type { Station } from '../../views/station';
import { drawsShot } from '../drawn';
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
  keys: () => ({
    k: keyHere,
    Space: () => (playhead.playing = !playhead.playing),
    Home: () => (playhead.at = 0),
    End: () => playhead.step(1e6),
    ArrowRight: () => playhead.step(1),
    ArrowLeft: () => playhead.step(-1),
    'Shift+ArrowRight': () => playhead.step(10),
    'Shift+ArrowLeft': () => playhead.step(-10),
  }),
  sheet: [
    ['K', 'a key at this frame'],
    ['Space', 'play'],
    ['← →', 'a frame back or on; with Shift ten'],
    ['Home End', 'the first frame, the last'],
  ],
  draws: drawsShot,
};
