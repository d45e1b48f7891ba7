/** The edge that the selected proxy is turned about, by a number or by hand. */
import { desk } from '../../lib/desk.svelte';
import type { EdgeName } from '../../project/edges';
import type { Shape } from '../../project/known';
import { inWorld } from '../../views/camera';

/** The tool that turns by hand. */
export const SWINGING = 'hinge';

class Hinge {
  side = $state<EdgeName>('left');
}

export const hinge = new Hinge();
desk.lay('hinge', hinge, () => ({ side: 'left' as const }), ['side']);

/** The two ends of an edge of the box that holds a proxy, in the world; the front is towards +z.
 *  Only drawn by it: what turns is worked out by the core (`core/block/hinges.py`). */
export function endsOf({ mesh, frame }: Shape, side: EdgeName): number[][] {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  mesh.points.forEach((v, i) => {
    low[i % 3] = Math.min(low[i % 3], v);
    high[i % 3] = Math.max(high[i % 3], v);
  });
  const words = side.split(' ');
  const last = words.at(-1);
  const ends = [[...low], [...high]];
  const set = (axis: number, value: number) => ends.forEach((end) => (end[axis] = value));
  if (last === 'left' || last === 'right') set(0, last === 'left' ? low[0] : high[0]);
  else set(1, last === 'foot' ? low[1] : high[1]);
  if (words.length > 1 && (words[0] === 'left' || words[0] === 'right'))
    set(0, words[0] === 'left' ? low[0] : high[0]);
  else set(2, words[0] === 'far' ? low[2] : high[2]);
  return ends.map((end) => inWorld(frame, end as never));
}
