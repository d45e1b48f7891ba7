/** What a station does with the pointer in the lens view. */
import type { Point } from './camera';

export interface Hand {
  /** Where the loupe should look, in picture pixels, while something is dragged or placed. */
  readonly loupe: Point | null;
  /** Take a press; false lets the view pan. `grip` names what lies under the pointer. */
  down(at: Point, grip: string | null, body: string | null): boolean;
  move(at: Point, pressed: boolean): void;
  up(at: Point): void;
  /** Let go of everything that was begun. */
  cancel(): void;
  /** A press was taken away before it was let go: go back to how things were before it. */
  abandon(): void;
}

export const far = (a: Point, b: Point) => Math.hypot(a[0] - b[0], a[1] - b[1]);
