import type { Point } from '../../../views/camera';
import { sightHand } from '../hand.svelte';

/** A mark's points, with the one that is being dragged where the hand has it. */
export function heldPoints(
  kind: 'trace' | 'tape' | 'rectangle',
  mark: { id: string; points: readonly (readonly number[])[] },
): Point[] {
  const held = sightHand.held;
  return mark.points.map((p, i) =>
    held?.kind === kind && held.id === mark.id && held.end === i ? held.to : [p[0], p[1]],
  );
}
