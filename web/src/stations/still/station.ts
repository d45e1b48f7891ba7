/** Still: the picture that everything is made from. */
import type { Station } from '../../views/station';
import Tray from './Tray.svelte';

export const still: Station = {
  name: 'still',
  title: 'Still',
  lit: () => 'lit',
  Tray,
  chips: () => [],
  verbs: () => [],
  draws: () => ({
    layers: [{ of: 'plate' }],
    walk: [{ of: 'wire' }],
    shot: false,
  }),
};
