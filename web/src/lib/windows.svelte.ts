/** How the views lie over what they show, and which windows are open. */
import { desk } from './desk.svelte';

/** The picture point in the middle of the lens view, and screen pixels a picture pixel. */
export interface Frame {
  x: number;
  y: number;
  zoom: number;
}

class Windows {
  frame = $state<Frame | null>(null); // the lens view's pan and zoom; null fits the picture
  history = $state(false);
}

export const windows = new Windows();
desk.lay('windows', windows, () => ({ frame: null, history: false }), ['frame']);
