/** How the shot camera is moved by steps, and how the shot is drawn. */
import { playhead } from '../../lib/playhead.svelte';
import { project } from '../../lib/project.svelte';
import type { Draws } from '../../views/station';

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

/** The frame as it will be; the plate, while there is nothing to cast it on. */
export function drawsShot(): Draws {
  const stands = project.shapes.size > 0;
  return {
    plate: !stands,
    cast: stands,
    wire: false,
    walk: { cast: true, wire: false },
    shot: true,
  };
}
