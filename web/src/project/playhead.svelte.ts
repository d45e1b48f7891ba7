/** Which frame of the shot is looked at. */
import { desk } from '../lib/desk.svelte';
import { project } from './project.svelte';

class Playhead {
  at = $state(0);
  playing = $state(false);

  /** The frame, as a whole number. */
  get frame() {
    return Math.round(this.at);
  }

  step(by: number) {
    const last = (project.scene?.move.frames ?? 1) - 1;
    this.playing = false;
    this.at = Math.min(Math.max(this.frame + by, 0), last);
  }
}

export const playhead = new Playhead();
desk.lay('playhead', playhead, () => ({ at: 0, playing: false }), ['at']);
