/** What more than one station wants drawn or said. */
import { project } from '../project/project.svelte';
import type { Draws } from '../views/station';

/** Said while there is nothing that a picture could land on. */
export const nothingStands = () =>
  project.shapes.size ? null : 'Nothing stands here yet: block the place first.';

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
