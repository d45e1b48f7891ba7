/** What is shown in Cast: what lands, the wires, the plate beneath; at the lens or in the shot. */
import { desk } from '../../lib/desk.svelte';

class Show {
  picture = $state(true);
  wire = $state(true);
  plate = $state(true);
  shot = $state(false);
  /** Of all lanterns only this one is shown. */
  only = $state<string | null>(null);
  /** What a press on a face is meant for: a row of its own in the sheet, or a flat view. */
  faces = $state<'row' | 'flat' | null>(null);
  compare = $state<'off' | 'wipe' | 'flicker' | 'difference'>('off');
  wipe = $state(0.5);
}

export const show = new Show();
desk.lay('cast', show, () => ({ compare: 'off', only: null, faces: null, shot: false }) as const, [
  'picture',
  'wire',
  'plate',
]);
