/** How the views lie over what they show, and which windows are open. */
import { desk } from '../lib/desk.svelte';

/** The picture point in the middle of the lens view, and screen pixels a picture pixel. */
export interface Frame {
  x: number;
  y: number;
  zoom: number;
}

class Windows {
  frame = $state<Frame | null>(null); // the lens view's pan and zoom; null fits the picture
  history = $state(false);
  keys = $state(false); // the sheet of keys
  palette = $state(false); // everything that can be done
  mark = $state.raw<object | null>(null); // for picking by keys, another each time it is taken up
  steps = $state(false); // the first steps were asked for
  /** The view that has been given everything; or the tray, which has the walk view's room too. */
  whole = $state<'lens' | 'walk' | 'tray' | null>(null);

  /** Take the mark up, or put it away when the keys are with it. */
  takeMark() {
    this.mark = this.mark && document.activeElement?.hasAttribute('data-mark') ? null : {};
  }

  /** Give a view everything, or take it back. */
  give(view: 'lens' | 'walk' | 'tray') {
    this.whole = this.whole === view ? null : view;
  }
}

export const windows = new Windows();
desk.lay(
  'windows',
  windows,
  () => ({ frame: null, history: false, keys: false, palette: false, mark: null, whole: null }),
  ['frame'],
);
