/** Dress: light, haze and a look for what is thrown. */
import type { Change } from '../../lib/api/client';
import { project } from '../../project/project.svelte';
import { tool } from '../../project/tool.svelte';
import type { Station } from '../../views/station';
import { drawsShot, inTime, nothingStands } from '../drawn';
import Strip from '../shot/TimeStrip.svelte';
import { add, dressHand, PICKING } from './lights.svelte';
import { write } from './guests.svelte';
import Overlay from './Overlay.svelte';
import Tray from './Tray.svelte';

export const dress: Station = {
  name: 'dress',
  title: 'Dress',
  lit: () => {
    const { guests, lights, haze, darkening, look } = project.scene!;
    const air = !!haze || !!darkening;
    const there = [guests.length > 0, lights.length > 0, air, !!look].filter(Boolean).length;
    return there > 1 ? 'lit' : there ? 'part' : 'dark';
  },
  Tray,
  Strip,
  Overlay,
  hand: dressHand,
  chips: () => [],
  verbs: () => [
    {
      words: 'write words into the place',
      key: 'W',
      on: ['w'],
      run: write,
      needs: nothingStands,
    },
    { words: 'carry a guest on its level; with Shift up and down', key: 'drag' },
    {
      words: 'pick a lamp out of the picture',
      key: 'L',
      on: ['l'],
      run: () => tool.choose(PICKING, true),
      needs: nothingStands,
    },
    { words: 'add a sun', key: 'U', on: ['u'], run: () => void add('sun'), needs: nothingStands },
    { words: 'add the light of the sky', run: () => void add('sky'), needs: nothingStands },
    { words: 'carry a lamp aside; with Shift on its level', key: 'drag' },
    {
      words: 'fill the place with haze, or clear it',
      key: 'H',
      on: ['h'],
      run: () =>
        void project.keep(
          () => ({ verb: 'SetHaze', haze: project.scene?.haze ? null : {} }) as Change,
        ),
      needs: nothingStands,
    },
    ...inTime(),
  ],
  draws: () => ({ ...drawsShot(), says: nothingStands() }),
};
