/** Which frame of the shot is looked at. */
import { desk } from '../lib/desk.svelte';
import { project } from './project.svelte';

class Playhead {
  at = $state(0);
  playing = $state(false);
  /** The frames that are played over and over; null for the shot's own first or last. */
  begin = $state<number | null>(null);
  end = $state<number | null>(null);

  /** The frame, as a whole number. */
  get frame() {
    return Math.round(this.at);
  }

  /** The shot's own number of a frame: they are counted from the one that its first has. */
  numbered(frame = this.frame) {
    return frame + (project.move?.first ?? 0);
  }

  /** The frame of a number of the shot's own. */
  frameOf(number: number) {
    return Math.max(Math.round(number) - (project.move?.first ?? 0), 0);
  }

  /** The first and last frame that are played, of a shot so long. */
  loop(frames: number): [number, number] {
    const [a, b] = [this.begin ?? 0, this.end ?? frames - 1].map((f) =>
      Math.min(Math.max(f, 0), frames - 1),
    );
    return a < b ? [a, b] : [0, frames - 1];
  }

  /** Begin or end the loop here, or let go of that where it does already. */
  mark(which: 'begin' | 'end') {
    this[which] = this[which] === this.frame ? null : this.frame;
  }

  step(by: number) {
    const last = (project.scene?.move.frames ?? 1) - 1;
    this.playing = false;
    this.at = Math.min(Math.max(this.frame + by, 0), last);
  }
}

export const playhead = new Playhead();
project.lookedAt = () => playhead.frame;
desk.lay('playhead', playhead, () => ({ at: 0, playing: false, begin: null, end: null }), [
  'at',
  'begin',
  'end',
]);
