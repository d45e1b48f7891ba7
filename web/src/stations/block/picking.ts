/** What is done by picking places one after another: a kind that is stood, a cut, a span, a label.
 *  Each says what it asks for, and what change its picks come to. */
import type { Change } from '../../lib/api/client';
import { project } from '../../project/project.svelte';
import { selection } from '../../project/selection.svelte';
import type { Point } from '../../views/camera';
import { KINDS } from './kinds';
import { parts } from './parts.svelte';
import { show } from './show.svelte';

/** The keys and switches that a pick depends on. beside: numbers of picks made with Shift. */
export interface Held {
  free: boolean;
  beside: ReadonlySet<number>;
  curved: ReadonlySet<number>; // picks that lie on a curve
  reach: number; // px of the plate within which edges pull
}

export interface Picking {
  asks: string[];
  /** Asked for when all else is picked, again and again, until it is closed or Enter comes. */
  more?: string;
  /** So many picks are enough for Enter, and so many end it by themselves. */
  enough: number;
  most: number;
  /** So many picks can be drawn two at a time, by one drag; all that are asked for, else. */
  drawn?: number;
  /** It is closed by a press on its first point. */
  closes?: boolean;
  /** It looks at the picture, so it is not tried while the pointer only moves. */
  looks?: boolean;
  change: (picks: Point[], held: Held) => Change | null;
}

const chosen = () => selection.one('proxy');
/** The change that is made to the proxy that is selected; none where none is. */
const onChosen = (make: (proxy: string) => Change): Change | null => {
  const proxy = chosen();
  return proxy ? make(proxy) : null;
};

function standing(name: string): Picking | null {
  const kind = KINDS.get(name);
  if (!kind?.feet.length) return null;
  if (kind.round)
    return {
      asks: kind.feet,
      more: kind.round,
      enough: 3,
      most: 400,
      closes: true,
      change: (points, held) => {
        const feet = points.slice(0, 2) as [Point, Point];
        const curved = [...held.curved];
        const same = { feet, outline: points, thickness_m: 0, holes: [], curved };
        return held.free || !show.onEdges
          ? { verb: 'CutOutline', ...same }
          : { verb: 'TraceOutline', ...same, reach: held.reach };
      },
    };
  const count = kind.feet.length;
  return {
    asks: kind.top ? [...kind.feet, kind.top] : kind.feet,
    enough: count,
    most: count + (kind.top ? 1 : 0),
    drawn: count,
    change: (points, held) => ({
      verb: 'Stand',
      kind: kind.kind,
      feet: points.slice(0, count),
      top: points[count] ?? null,
      along: held.free ? 'free' : null,
    }),
  };
}

const label = (what: 'length' | 'angle' | 'area', asks: string[], more?: string): Picking => ({
  asks,
  more,
  enough: asks.length,
  most: more ? 200 : asks.length,
  closes: what === 'area',
  change: (at) => ({ verb: 'ReadOff', what, at }),
});

const OTHERS: Record<string, Picking> = {
  length: label('length', ['Pick where to measure from.', 'Pick where to.']),
  angle: label('angle', ['Pick a place on one side.', 'Pick the corner.', 'Pick the other side.']),
  area: label(
    'area',
    ['Pick a corner of the area.', 'Pick the next corner.', 'Pick the next corner.'],
    'Go on round it. Enter, or a press on the first point, closes it.',
  ),
  cut: {
    asks: ['Pick where the cut begins.', 'Pick where it ends. More points: only this face is cut.'],
    more: 'Enter cuts; go on for a cut of this face only.',
    enough: 2,
    most: 64,
    change: (line) =>
      onChosen((proxy) => ({
        verb: 'Cut',
        proxy,
        line,
        face: parts.now?.part.face ?? null,
        this_face_only: false,
      })),
  },
  'cut away': {
    asks: ['Pick where the cut begins.', 'Pick where it ends.', 'Pick on the side that goes.'],
    enough: 3,
    most: 3,
    change: ([a, b, drop]) =>
      onChosen((proxy) => ({
        verb: 'Cut',
        proxy,
        line: [a, b],
        face: parts.now?.part.face ?? null,
        drop,
        this_face_only: false,
      })),
  },
  'set in': {
    asks: ['Pick a corner on the face.', 'Pick the next corner.', 'Pick the next corner.'],
    more: 'Go on round it. Enter, or a press on the first point, closes it.',
    enough: 3,
    most: 400,
    closes: true,
    change: (outline) =>
      parts.now?.part.face
        ? { verb: 'SetIn', proxy: parts.now.proxy, face: parts.now.part.face, outline }
        : null,
  },
  span: {
    asks: [
      'Pick one end of the first line.',
      'Pick its other end.',
      'Pick one end of the second.',
      'Pick its other end.',
    ],
    enough: 4,
    most: 4,
    change: ([a, b, c, d]) => ({
      verb: 'StretchSpan',
      first: [a, b],
      second: [c, d],
      capped: false,
    }),
  },
  grow: {
    asks: ['Pick one end of its foot.', 'Pick the other end.', 'Click on the thing.'],
    more: 'Click on what is missing; with Shift, on what is too much. Enter takes it.',
    enough: 3,
    most: 200,
    looks: true,
    change: (picks, { beside }) => {
      const marks = picks.slice(2).map((at, i) => ({ at, off: beside.has(i + 2) }));
      const on = (off: boolean) => marks.filter((m) => m.off === off).map((m) => m.at);
      if (!on(false).length) return null;
      const feet = picks.slice(0, 2) as [Point, Point];
      return { verb: 'GrowOutline', feet, inside: on(false), beside: on(true), thickness_m: 0 };
    },
  },
  rim: {
    asks: ['Pick along the drum’s side, from its foot up.'],
    more: 'Go on up its side. Enter shapes it.',
    enough: 1,
    most: 60,
    change: (rim) => onChosen((proxy) => ({ verb: 'ShapeDrum', proxy, rim })),
  },
  twin: {
    asks: ['Pick a place that the mirror goes through, on its level.'],
    enough: 1,
    most: 1,
    change: ([through]) =>
      onChosen((proxy) => ({ verb: 'MirrorAcross', proxy, along: 'away', through })),
  },
  row: {
    asks: ['Pick where the second one of the row stands.'],
    enough: 1,
    most: 1,
    change: ([to]) => {
      const proxy = project.scene?.proxies.find((p) => p.id === chosen());
      const row = proxy && 'row' in proxy ? proxy.row : null;
      return proxy
        ? { verb: 'RowAlong', proxy: proxy.id, along: 'away', count: row?.count ?? 4, to }
        : null;
    },
  },
};

/** The picking that a tool does, if it does one. */
export const pickingOf = (name: string): Picking | null => standing(name) ?? OTHERS[name] ?? null;
/** Tools that work on what is selected, so that taking one keeps the selection. */
export const WORKS = new Set(['cut', 'cut away', 'set in', 'rim', 'twin', 'row']);
