/** A monotone cubic through points, left to right (Fritsch & Butland 1984), as the core draws curves;
 *  straight on beyond its ends. For drawing only. */
export function monotone(points: readonly (readonly [number, number])[]): (x: number) => number {
  const n = points.length;
  const h = points.slice(1).map(([x], i) => x - points[i][0]);
  const d = points.slice(1).map(([, y], i) => (y - points[i][1]) / h[i]);
  const inner = (i: number) => {
    if (d[i - 1] * d[i] <= 0) return 0;
    const [a, b] = [2 * h[i] + h[i - 1], h[i] + 2 * h[i - 1]];
    return (a + b) / (a / d[i - 1] + b / d[i]);
  };
  const end = (h0: number, h1: number, d0: number, d1: number) => {
    const m = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
    if (m * d0 <= 0) return 0;
    return d0 * d1 <= 0 && Math.abs(m) > 3 * Math.abs(d0) ? 3 * d0 : m;
  };
  const slope = points.map((_, i) => {
    if (n === 2) return d[0];
    if (i === 0) return end(h[0], h[1], d[0], d[1]);
    if (i === n - 1) return end(h[n - 2], h[n - 3], d[n - 2], d[n - 3]);
    return inner(i);
  });
  return (x) => {
    if (x <= points[0][0]) return points[0][1] + slope[0] * (x - points[0][0]);
    if (x >= points[n - 1][0]) return points[n - 1][1] + slope[n - 1] * (x - points[n - 1][0]);
    let i = 0;
    while (x > points[i + 1][0]) i++;
    const t = (x - points[i][0]) / h[i];
    const [a, b] = [points[i][1], points[i + 1][1]];
    return (
      a * (2 * t ** 3 - 3 * t ** 2 + 1) +
      b * (3 * t ** 2 - 2 * t ** 3) +
      h[i] * (slope[i] * (t ** 3 - 2 * t ** 2 + t) + slope[i + 1] * (t ** 3 - t ** 2))
    );
  };
}
