/** What is shown in Cast: what lands, the wires, the plate beneath; at the lens or in the shot. */
import { desk } from '../../lib/desk.svelte';

class Show {
  picture = $state(true);
  wire = $state(true);
  plate = $state(true);
  shot = $state(false);
  /** Of all lanterns only this one is shown. */
  only = $state<string | null>(null);
  /** A press in the view means a face, which gets a row of its own in the sheet. */
  faces = $state(false);
  compare = $state<'off' | 'wipe' | 'flicker' | 'difference'>('off');
  wipe = $state(0.5);
}

export const show = new Show();
desk.lay('cast', show, () => ({ compare: 'off', only: null, faces: false, shot: false }) as const, [
  'picture',
  'wire',
  'plate',
]);
