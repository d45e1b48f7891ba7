/** A plate by tiles: the parts and the sharpness that are looked at, fetched as they are needed. */
import { plateAddress, type Levels } from '../lib/api/client';

const KEPT = 24; // decoded tiles at hand
const AT_ONCE = 6;
const AGAIN_MS = [300, 1000, 3000];

export interface TileAt {
  level: number;
  x: number;
  y: number;
}

/** The places of the tiles of a level that a piece of the plate needs, in plate pixels. */
export function partsOf(
  levels: Levels,
  level: number,
  [left, top, right, bottom]: [number, number, number, number],
): TileAt[] {
  const [width, height] = levels.sizes[level];
  const [sx, sy] = [width / levels.sizes[0][0], height / levels.sizes[0][1]];
  const range = (from: number, to: number, scale: number, size: number) => {
    const last = Math.ceil(size / levels.tile) - 1;
    const at = (v: number) => Math.min(Math.max(Math.floor((v * scale) / levels.tile), 0), last);
    return [at(from), at(to)];
  };
  const [x0, x1] = range(left, right, sx, width);
  const [y0, y1] = range(top, bottom, sy, height);
  const out: TileAt[] = [];
  for (let y = y0; y <= y1; y++) for (let x = x0; x <= x1; x++) out.push({ level, x, y });
  return out;
}

/** The level whose pixels are no larger than the screen's, where zoom is screen pixels a plate
 *  pixel. */
export function levelFor(levels: Levels, zoom: number): number {
  const wanted = Math.floor(Math.log2(Math.max(1 / zoom, 1)));
  return Math.min(wanted, levels.sizes.length - 1);
}

/** The first level that is no longer than so many pixels. */
export const levelWithin = (levels: Levels, longest: number) =>
  levels.sizes.findIndex(([w, h]) => Math.max(w, h) <= longest);

export class Tiles {
  levels: Levels | null = null;
  #kept = new Map<string, Promise<ImageBitmap>>();
  #waiting: (() => void)[] = [];
  #busy = 0;
  #over = false;

  /** trouble: told what is wrong while something cannot be loaded, and null when it can again. */
  constructor(
    readonly project: number,
    readonly digest: string,
    private trouble: (words: string | null) => void,
  ) {}

  /** How the plate is cut up. Tries again until it is known. */
  async begin(): Promise<Levels> {
    const address = `${plateAddress(this.project, this.digest)}/levels`;
    const answer = await this.#persistently(() => fetch(address));
    this.levels = (await answer.json()) as Levels;
    return this.levels;
  }

  /** All of it, small, as one that plays is shown first. */
  quick(): Promise<ImageBitmap> {
    return this.#fetched('quick');
  }

  /** A tile, with its apron. */
  bitmap({ level, x, y }: TileAt): Promise<ImageBitmap> {
    const name = `${level}/${x}/${y}`;
    const kept = this.#kept.get(name);
    this.#kept.delete(name);
    const found = kept ?? this.#load(name);
    this.#kept.set(name, found);
    while (this.#kept.size > KEPT) this.#kept.delete(this.#kept.keys().next().value!);
    return found;
  }

  dispose() {
    this.#over = true;
    this.#kept.clear();
    this.#waiting.splice(0).forEach((go) => go());
  }

  async #load(name: string): Promise<ImageBitmap> {
    while (this.#busy >= AT_ONCE && !this.#over)
      await new Promise<void>((go) => this.#waiting.push(go));
    this.#busy++;
    try {
      return await this.#fetched(name);
    } catch (error) {
      this.#kept.delete(name);
      throw error;
    } finally {
      this.#busy--;
      this.#waiting.shift()?.();
    }
  }

  #fetched(name: string): Promise<ImageBitmap> {
    const address = `${plateAddress(this.project, this.digest)}/${name}`;
    return this.#persistently(async () => {
      const answer = await fetch(address);
      if (!answer.ok) return answer;
      // the numbers as they are in the file: no colour space is put on them
      return createImageBitmap(await answer.blob(), {
        premultiplyAlpha: 'none',
        colorSpaceConversion: 'none',
      });
    });
  }

  /** Ask until it works: a part of the picture that is missing would look like a part of it. */
  async #persistently<T extends Response | ImageBitmap>(
    ask: () => Promise<T | Response>,
  ): Promise<T> {
    for (let turn = 0; ; turn++) {
      if (this.#over) throw new Error('this plate is not looked at any more');
      let words = 'The server cannot be reached, so the plate is not all here. Trying again…';
      try {
        const answer = await ask();
        if (!(answer instanceof Response) || answer.ok) {
          if (turn) this.trouble(null);
          return answer as T;
        }
        const said = await answer.json().catch(() => ({}));
        words = `The plate could not be loaded. ${said.message ?? ''} Trying again…`;
      } catch {
        // unreachable, or cut off in the middle: the words say so
      }
      if (turn) this.trouble(words);
      await new Promise((go) => setTimeout(go, AGAIN_MS[Math.min(turn, AGAIN_MS.length - 1)]));
    }
  }
}
