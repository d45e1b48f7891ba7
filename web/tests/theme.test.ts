import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';

const css = readFileSync('src/app.css', 'utf8');
const tones = new Map(
  [...css.matchAll(/--color-([\w-]+): (#[0-9a-f]{6})\b/g)].map(([, name, hex]) => [name, hex]),
);

/** Relative luminance (WCAG 2.2). */
function luminance(hex: string): number {
  const [r, g, b] = [1, 3, 5]
    .map((i) => parseInt(hex.slice(i, i + 2), 16) / 255)
    .map((v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4));
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}
function contrast(a: string, b: string): number {
  const [x, y] = [luminance(tones.get(a)!), luminance(tones.get(b)!)].sort((p, q) => q - p);
  return (x + 0.05) / (y + 0.05);
}

/** Every source below some folders. */
const sources = (...folders: string[]) =>
  folders.flatMap((folder) =>
    readdirSync(join('src', folder), { recursive: true, encoding: 'utf8' })
      .filter((name) => /\.(svelte|ts)$/.test(name))
      .map((name) => join('src', folder, name)),
  );
const telling = (files: string[], what: RegExp) =>
  files.filter((file) => what.test(readFileSync(file, 'utf8')));

describe('the theme', () => {
  it('is the only place where a colour is written', () => {
    const files = sources('stations', 'shell').filter((file) => file.endsWith('.svelte'));
    expect(files.length).toBeGreaterThan(50);
    expect(telling(files, /['"[]#[0-9a-f]{3,8}\b|rgba?\(/i)).toEqual([]);
  });

  it('leaves none of the library’s own colours in what is ours', () => {
    const files = sources('lib', 'project', 'views', 'stations', 'shell');
    expect(telling(files, /\b(gray|slate|zinc|red|blue|green|yellow|amber)-\d{2,3}\b/)).toEqual([]);
  });

  it('has words that can be read on every ground', () => {
    for (const ground of ['ground', 'raised', 'field', 'hover', 'advice'])
      for (const words of ['ink', 'quiet', 'lantern', 'warning', 'jade'])
        expect(contrast(words, ground), `${words} on ${ground}`).toBeGreaterThan(4.5);
    for (const main of ['jade', 'bright']) expect(contrast('dusk', main)).toBeGreaterThan(4.5);
  });
});

describe('a tip', () => {
  it('takes the key of a verb that there is', () => {
    const files = sources('lib', 'project', 'views', 'stations', 'shell');
    const text = files.map((file) => readFileSync(file, 'utf8')).join('\n');
    const told = new Set([...text.matchAll(/words: '([^']+)'/g)].map(([, words]) => words));
    const named = [...text.matchAll(/\bdoes="([^"]+)"/g)].map(([, words]) => words);
    expect(named.length).toBeGreaterThan(4);
    expect(named.filter((words) => !told.has(words))).toEqual([]);
  });
});
