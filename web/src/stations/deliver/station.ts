/** Deliver: the shot leaves the house. */
import { project } from '../../lib/project.svelte';
import type { Station } from '../../views/station';
import { NOTHING_STANDS } from '../cast/station';
import { drawsShot } from '../move/shot';
import Tray from './Tray.svelte';

export const deliver: Station = {
  name: 'deliver',
  title: 'Deliver',
  lit: () => 'dark',
  Tray,
  chips: () => [],
  keys: () => ({}),
  draws: () => ({ ...drawsShot(), says: project.shapes.size ? null : NOTHING_STANDS }),
};
