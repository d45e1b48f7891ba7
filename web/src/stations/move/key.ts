/** A key that stands where the playhead is. */
import { playhead } from '../../project/playhead.svelte';
import { project } from '../../project/project.svelte';

export const STILL = {
  right_m: 0,
  up_m: 0,
  forward_m: 0,
  turn_deg: 0,
  tilt_deg: 0,
  ease: 'both',
} as const;

export function keyHere() {
  if (project.reading?.settled)
    void project.keep({ verb: 'KeyHere', frame: playhead.frame, ...STILL });
}
