/** Block: proxies stood where the picture says. */
import { project } from '../../lib/project.svelte';
import type { Station } from '../../views/station';
import { blockHand } from './hand.svelte';
import Overlay from './Overlay.svelte';
import { duplicate, remove } from './selected';
import Tray from './Tray.svelte';
import { blockWalkHand } from './walk.svelte';

export const block: Station = {
  name: 'block',
  title: 'Block',
  lit: () => (project.scene?.proxies.length ? 'lit' : 'dark'),
  Tray,
  Overlay,
  hand: blockHand,
  walkHand: blockWalkHand,
  chips: () => [],
  keys: () => ({
    Delete: remove,
    Backspace: () => !blockHand.kind && remove(), // else it takes the last pick back
    '$mod+d': duplicate,
  }),
  sheet: [
    ['Del', 'delete the selected proxy'],
    ['Ctrl D', 'a copy of it'],
    ['Enter', 'stand it with the usual height; close an outline'],
    ['Backspace', 'take an outline’s last point back'],
    ['Shift', 'held: its foot runs as it is picked, along no heading'],
  ],
  draws: () => ({
    plate: true,
    cast: false,
    wire: true,
    walk: { cast: false, wire: true },
    shot: false,
    slid: blockHand.slid ?? blockWalkHand.slid,
  }),
};
