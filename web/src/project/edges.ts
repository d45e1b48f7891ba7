/** The edges that a proxy turns about, by the side of the box that holds it. */
export const EDGES = [
  ['left', 'left edge'],
  ['right', 'right edge'],
  ['far left', 'far left edge'],
  ['far right', 'far right edge'],
  ['foot', 'front of its foot'],
  ['top', 'front of its top'],
  ['far foot', 'back of its foot'],
  ['far top', 'back of its top'],
  ['left foot', 'left of its foot'],
  ['right foot', 'right of its foot'],
  ['left top', 'left of its top'],
  ['right top', 'right of its top'],
] as const;
export type EdgeName = (typeof EDGES)[number][0];
