/** How Block is looked at and worked: what is drawn, and how parts are pulled. */
import { desk } from '../../lib/desk.svelte';

export type Look = 'wire' | 'picture' | 'both' | 'shaded';
export const LOOKS: [Look, string][] = [
  ['wire', 'Wire'],
  ['picture', 'Picture'],
  ['both', 'Both'],
  ['shaded', 'Shaded'],
];

class Show {
  look = $state<Look>('wire');
  /** How much of what is behind shows through: 0 nothing, 1 all. */
  through = $state(0);
  backs = $state(true); // faces seen from behind
  /** Faces, edges and corners are taken, and not whole proxies. */
  parts = $state(false);
  /** What a part is pulled along; auto: a face along its normal, all else on its face. */
  along = $state('auto');
  rest = $state(true); // what is pulled comes to rest on what is near
  weld = $state(false); // and stays with it
  onEdges = $state(true); // outlines are pulled onto the picture's edges
  leaks = $state(false);
  solo = $state.raw<string[] | null>(null);
}

export const show = new Show();
desk.lay(
  'block',
  show,
  () => ({ parts: false, leaks: false, solo: null, along: 'auto', weld: false }),
  ['look', 'through', 'backs', 'rest', 'onEdges'],
);
