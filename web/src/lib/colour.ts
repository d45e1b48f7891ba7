/** Colours in the picture's own numbers, 0 to 1, as the page writes them. */
const two = (v: number) =>
  Math.round(255 * v)
    .toString(16)
    .padStart(2, '0');

export const hexOf = (colour: readonly number[]) => `#${colour.map(two).join('')}`;

export const ofHex = (text: string) =>
  [1, 3, 5].map((i) => parseInt(text.slice(i, i + 2), 16) / 255) as [number, number, number];
