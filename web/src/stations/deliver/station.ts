/** Deliver: the shot leaves the house. */
import type { Station } from '../../views/station';
import { drawsShot, nothingStands } from '../drawn';
import Tray from './Tray.svelte';

export const deliver: Station = {
  name: 'deliver',
  title: 'Deliver',
  lit: () => 'dark',
  Tray,
  chips: () => [],
  verbs: () => [],
  draws: () => ({ ...drawsShot(), says: nothingStands() }),
};
