/** Numbers as people check them: fixed places, units, uncertainty. */

export const capital = (words: string) => words.charAt(0).toUpperCase() + words.slice(1);

export const signed = (v: number, places = 1) =>
  `${v < 0 ? '−' : '+'}${Math.abs(v).toFixed(places)}`;
export const plain = (v: number, places = 2) => v.toFixed(places).replace('-', '−');

export function aspect(width: number, height: number): string {
  for (const [a, b] of [
    [1, 1],
    [4, 3],
    [3, 2],
    [16, 9],
    [16, 10],
    [5, 4],
    [2, 1],
    [3, 4],
    [2, 3],
    [9, 16],
    [4, 5],
  ])
    if (Math.abs(width / height - a / b) < 0.004) return `${a} : ${b}`;
  return `${(width / height).toFixed(2)} : 1`;
}

export function bytes(n: number): string {
  return n > 1e6 ? `${(n / 1e6).toFixed(1)} MB` : `${Math.max(1, Math.round(n / 1e3))} kB`;
}
