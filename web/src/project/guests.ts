/** Guests among what stands in the place, as views draw them: surfaces with a picture laid on each.
 *  Their pieces are shapes, lanterns and rows of a cast sheet like those of proxies, with ids of
 *  their own: the guest's, and a number. */
import type { LanternShown, Proxy, Taken } from '../lib/api/client';
import type { GuestKnown, Shape, Times } from './known';
import { standsAt } from './times';

/** What views draw. */
export interface Place {
  proxies: readonly Pick<Proxy, 'id' | 'hidden'>[];
  shapes: Map<string, Shape>;
  lanterns: readonly LanternShown[];
  takes: Map<string, Taken>;
}

/** The guest that a piece is of; of a proxy its own id. */
export const partOf = (id: string) => id.split('/')[0];

/** A place with its guests in it. frame: null where nothing is at a frame of the shot. */
export function withGuests(
  place: Place,
  guests: readonly { id: string; hidden?: boolean }[],
  known: Map<string, GuestKnown>,
  times: Times | null,
  frame: number | null,
): Place {
  const pieces = guests.flatMap(({ id, hidden }) =>
    (known.get(id)?.pieces ?? []).map((piece) => ({ ...piece, hidden: !!hidden })),
  );
  if (!pieces.length) return place;
  const at = frame === null ? null : standsAt(times, frame);
  const shapes = new Map(place.shapes);
  const takes = new Map(place.takes);
  const lanterns = [...place.lanterns];
  const proxies = [...place.proxies];
  for (const { shape, lantern, hidden } of pieces) {
    const now = at?.get(shape.id);
    shapes.set(shape.id, now ? { ...shape, frame: now.frame } : shape);
    lanterns.push(now ? thrown(lantern, now.strength, now.picture) : lantern);
    takes.set(shape.id, {
      id: shape.id,
      lanterns: [lantern.id],
      parts: [{ lanterns: [lantern.id], triangles: null }],
    });
    proxies.push({ id: shape.id, hidden });
  }
  return { proxies, shapes, lanterns, takes };
}

function thrown(lantern: LanternShown, strength: number, picture: number): LanternShown {
  const digest = picture ? `${lantern.digest}@${picture}` : lantern.digest;
  if (strength === lantern.strength && digest === lantern.digest) return lantern;
  return { ...lantern, strength, digest };
}
