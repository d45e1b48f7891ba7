/** What is shown in Cast: what lands, the wires, the plate beneath. */
import { desk } from '../../lib/desk.svelte';

class Show {
  picture = $state(true);
  wire = $state(true);
  plate = $state(true);
}

export const show = new Show();
desk.lay('cast', show, () => ({}), ['picture', 'wire', 'plate']);
