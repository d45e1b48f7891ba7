/** The shot camera as the stations speak of it. */
import { desk } from '../../lib/desk.svelte';
import { project } from '../../lib/project.svelte';
import type { CameraReading, ShotShown } from '../../lib/api/client';

export function shotAt(shot: ShotShown, frame: number, like: CameraReading): CameraReading {
  const i = Math.min(Math.max(Math.round(frame), 0), shot.position.length - 1);
  const r = shot.rotation[i];
  return {
    ...like,
    focal_px: shot.focal_px[i],
    position: shot.position[i],
    rotation: [
      [r[0], r[1], r[2]],
      [r[3], r[4], r[5]],
      [r[6], r[7], r[8]],
    ],
  };
}

export function keyHere() {
  if (project.reading?.settled)
    void project.keep({ verb: 'KeyHere', frame: Math.round(desk.at), ...STILL });
}

export const STILL = {
  right_m: 0,
  up_m: 0,
  forward_m: 0,
  turn_deg: 0,
  tilt_deg: 0,
  ease: 'both',
} as const;
