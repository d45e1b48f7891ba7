/** What a station does with the pointer in the views. */
import type { CameraReading } from '../lib/api/client';
import type { Point } from './camera';

/** What a place of the lens view shows. */
export interface Seen {
  camera: CameraReading; // that it is seen through
  zoom: number; // screen pixels a picture pixel
  ray: Point3; // from the camera through the place
  place: Point3 | null; // where that meets something first, in the world
}

export interface Hand {
  /** Where the loupe should look, in picture pixels, while something is dragged or placed. */
  readonly loupe: Point | null;
  /** Screen pixels a picture pixel; the lens view sets it. */
  zoom: number;
  /** Take a press; false lets the view pan. grip names what lies under the pointer, body the proxy
   *  that is seen there. */
  down(
    at: Point,
    grip: string | null,
    body: () => string | null,
    seen?: () => Seen | null,
  ): boolean;
  move(at: Point, pressed: boolean): void;
  up(at: Point): void;
  /** A press that took nothing, and did not pan either. */
  missed(): void;
  /** Let go of everything that was begun. */
  cancel(): void;
  /** A press was taken away before it was let go: go back to how things were before it. */
  abandon(): void;
  /** Keys that are held down while the pointer works, and Enter. */
  key(name: string, down: boolean): void;
  /** The wheel, in the shot's view, which does not zoom. */
  wheel?(by: number, seen: Seen): void;
  /** An arrow or page key while the shot's view has the keys; false where it means nothing. */
  arrow?(key: string, how: { fine: boolean; seen: Seen }): boolean;
}

export type Point3 = [number, number, number];
export interface WorldRay {
  origin: Point3;
  direction: Point3;
}

/** What a station does with a press on a proxy in the walk view. */
export interface WalkHand {
  /** Places that can be taken hold of, nearer to hand than proxies. */
  marks?(): { id: string; at: Point3 }[];
  /** Take a press; false lets the view turn. */
  down(ray: WorldRay, body: string): boolean;
  move(ray: WorldRay): void;
  up(ray: WorldRay): void;
  abandon(): void;
}

export const far = (a: Point, b: Point) => Math.hypot(a[0] - b[0], a[1] - b[1]);

/** The nearest of some places to a picked one, where one is near enough; else the picked one. */
export function caught(at: Point, places: Iterable<Point>, within: number): Point {
  let best = at;
  let least = within;
  for (const place of places) if (far(place, at) < least) [best, least] = [place, far(place, at)];
  return best;
}
