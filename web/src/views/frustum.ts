/** The outline of what a camera sees, out to a distance. */
import {
  BufferAttribute,
  BufferGeometry,
  LineBasicMaterial,
  LineDashedMaterial,
  LineSegments,
} from 'three';
import type { CameraReading } from '../lib/api/client';

export function frustum(c: CameraReading, far: number, colour: string, dashed: boolean) {
  const [w, h, f] = [c.width, c.height, c.focal_px];
  const corners = [
    [0, 0],
    [w, 0],
    [w, h],
    [0, h],
  ].map(([x, y]) => {
    const k = [((x - c.cx) / f) * far, (-(y - c.cy) / f) * far, -far];
    return [0, 1, 2].map(
      (i) =>
        c.position[i] + c.rotation[0][i] * k[0] + c.rotation[1][i] * k[1] + c.rotation[2][i] * k[2],
    );
  });
  const points: number[] = [];
  corners.forEach((p, i) => points.push(...c.position, ...p, ...p, ...corners[(i + 1) % 4]));
  const g = new BufferGeometry();
  g.setAttribute('position', new BufferAttribute(new Float32Array(points), 3));
  const material = dashed
    ? new LineDashedMaterial({ color: colour, dashSize: far / 14, gapSize: far / 20 })
    : new LineBasicMaterial({ color: colour });
  const out = new LineSegments(g, material);
  out.computeLineDistances();
  out.frustumCulled = false;
  return out;
}
