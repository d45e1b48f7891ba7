/** Whether the still and three frames of the shot are looked at side by side. */
import { desk } from '../../lib/desk.svelte';

class SideBySide {
  open = $state(false);
}

export const sideBySide = new SideBySide();
desk.lay('side by side', sideBySide, () => ({ open: false }), []);
