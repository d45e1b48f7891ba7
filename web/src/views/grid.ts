/** The lines of a grid in one of the world's planes, each looking as its heading does. */
import {
  BufferAttribute,
  BufferGeometry,
  Group,
  LineBasicMaterial,
  LineDashedMaterial,
  LineSegments,
  type Material,
} from 'three';
import { COLOURS } from '../project/headings';
import type { Grid } from './station';

const BEARINGS_APART = 4; // of the grid's spacing

/** Lay a grid's lines anew. reach: how many lines it has to each side. */
export function layGrid(
  into: Group,
  { plane, at, spacing, bearings }: Grid,
  reach: number,
  depthTest: boolean,
) {
  for (const old of [...into.children] as LineSegments[]) {
    into.remove(old);
    old.geometry.dispose();
    (old.material as Material).dispose();
  }
  const [first, second] = { ground: [0, 2], across: [0, 1], away: [2, 1] }[plane];
  const half = reach * spacing;
  const near = (k: number) => Math.round(at[k] / spacing) * spacing;
  const [left, right] = [near(first) - half, near(first) + half];
  const [low, high] = plane === 'ground' ? [near(second) - half, near(second) + half] : [0, half];
  const along: Record<number, number[]> = { 0: [], 1: [], 2: [] };
  const point = (a: number, b: number) => {
    const p = [...at];
    p[first] = a;
    p[second] = b;
    return p;
  };
  // in short pieces, so that only what is behind the camera is lost of a line
  for (let a = left; a <= right + spacing / 2; a += spacing)
    for (let b = low; b < high - spacing / 2; b += spacing)
      along[second].push(...point(a, b), ...point(a, b + spacing));
  for (let b = low; b <= high + spacing / 2; b += spacing)
    for (let a = left; a < right - spacing / 2; a += spacing)
      along[first].push(...point(a, b), ...point(a + spacing, b));
  const lines = (points: number[], material: LineBasicMaterial) => {
    const g = new BufferGeometry();
    g.setAttribute('position', new BufferAttribute(new Float32Array(points), 3));
    const l = new LineSegments(g, material);
    l.frustumCulled = false;
    l.computeLineDistances();
    return l;
  };
  const style = { transparent: true, opacity: depthTest ? 0.4 : 0.6, depthTest };
  const dashed = (color: string, on: number, off: number) =>
    new LineDashedMaterial({ color, dashSize: on * spacing, gapSize: off * spacing, ...style });
  if (along[0].length)
    into.add(lines(along[0], new LineBasicMaterial({ color: COLOURS.across, ...style })));
  if (along[1].length) into.add(lines(along[1], dashed(COLOURS.up, 0.35, 0.15)));
  if (along[2].length) into.add(lines(along[2], dashed(COLOURS.away, 0.5, 0.2)));
  for (const { turn, colour } of plane === 'ground' ? (bearings ?? []) : []) {
    const [c, s] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)];
    const points: number[] = [];
    // a few lines far apart, for the grid itself is read by the two headings
    for (const side of [-1, 0, 1])
      for (let a = -half; a < half - spacing / 2; a += spacing)
        for (const b of [a, a + spacing])
          points.push(
            at[0] + c * b + s * side * BEARINGS_APART * spacing,
            at[1],
            at[2] - s * b + c * side * BEARINGS_APART * spacing,
          );
    into.add(lines(points, dashed(colour, 0.18, 0.14)));
  }
}
