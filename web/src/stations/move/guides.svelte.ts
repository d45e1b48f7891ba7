/** Lines over the shot by which a frame is composed: thirds and the middle. */
import { desk } from '../../lib/desk.svelte';

class Guides {
  on = $state(false);
}

export const guides = new Guides();
desk.lay('guides', guides, () => ({ on: false }), ['on']);
