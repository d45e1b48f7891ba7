/** What is shown in Cast: what lands, the wires, the plate beneath. */
import { desk } from '../../lib/desk.svelte';

class Show {
  picture = $state(true);
  wire = $state(true);
  plate = $state(true);
  compare = $state<'off' | 'wipe' | 'flicker' | 'difference'>('off');
  wipe = $state(0.5);
}

export const show = new Show();
desk.lay('cast', show, () => ({ compare: 'off' }) as const, ['picture', 'wire', 'plate']);
