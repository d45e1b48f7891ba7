/** The plate on the graphics card: one copy that is cast and that lies beneath, and the tiles of it
 *  that are looked at closer. */
import { Box2, DataTexture, Texture, Vector2, type WebGLRenderer } from 'three';
import type { Levels } from '../lib/api/client';
import { toView, type Window2D } from './camera';
import { plainly } from './lookup';
import type { FlatPart } from './paper';
import { levelFor, levelWithin, partsOf, Tiles, type TileAt } from './tiles';

const FIRST = 2048; // px, the longer side of the copy that is shown first
const LARGEST_CAST = 8192;
const KEPT = 24; // tiles on the card
const AT_ONCE = 6;

interface Copy {
  level: number;
  texture: Texture;
  width: number;
}

const QUICK = 99; // the level of the small picture that one over time is shown by first

export class Plate {
  readonly tiles: Tiles;
  /** Done when what is shown first of one that plays is here. */
  readonly first: Promise<void> = Promise.resolve();
  #copy: Copy | null = null;
  #wanted = -1; // the level of the copy that is being made
  #kept = new Map<string, Texture>();
  #coming = new Set<string>();
  #over = false;
  #asked = false;

  /** changed: told whenever there is more to show. */
  constructor(
    project: number,
    readonly digest: string,
    readonly width: number,
    readonly height: number,
    private renderer: WebGLRenderer,
    private changed: () => void,
    trouble: (words: string | null) => void,
  ) {
    this.tiles = new Tiles(project, digest, trouble);
    if (digest.includes('@')) this.first = this.#quickly();
    else this.whole();
  }

  /** Make the copy that is shown first, of its tiles, where there is none yet. */
  whole() {
    if (this.#asked) return;
    this.#asked = true;
    void this.tiles
      .begin()
      .then((levels) => this.#make(levelWithin(levels, FIRST)))
      .catch(() => undefined); // it was left
  }

  async #quickly() {
    const bitmap = await this.tiles.quick().catch(() => null);
    if (!bitmap || this.#over || this.#copy) return;
    this.#copy = { level: QUICK, texture: plainly(new Texture(bitmap)), width: bitmap.width };
    this.changed();
  }

  /** The copy that is cast, if it is here. */
  get texture(): Texture | null {
    return this.#copy?.texture ?? null;
  }

  get ready() {
    return this.#copy !== null;
  }

  /** How wide the copy is that is cast, in pixels. */
  get castWidth() {
    return this.#copy?.width ?? 0;
  }

  /** See to it that what is cast is as sharp as it gets in a view. */
  sharpenCast() {
    const levels = this.tiles.levels;
    if (!levels || !this.#copy) return;
    const most = Math.min(LARGEST_CAST, this.renderer.capabilities.maxTextureSize);
    const level = levelWithin(levels, most);
    if (level < this.#copy.level && this.#wanted !== level) void this.#make(level);
  }

  /** What of it lies flat in a window, as sharp as is at hand; what is missing is sent for. asCast:
   *  of the copy that is cast, so that the two can be compared. */
  flat(win: Window2D, ratio: number, asCast = false): FlatPart[] {
    const levels = this.tiles.levels;
    if (!this.#copy) return [];
    const whole: [number, number] = [this.width, this.height];
    const copy = flatPart(this.#copy.texture, [0, 0], whole, [0, 0, ...whole], win, ratio);
    if (!levels) return [copy];
    const zoom = win.zoom * ratio;
    const level = levelFor(levels, zoom);
    const seen: [number, number, number, number] = [
      win.x,
      win.y,
      win.x + win.width / win.zoom,
      win.y + win.height / win.zoom,
    ];
    const sharper = level < this.#copy.level && !asCast ? partsOf(levels, level, seen) : [];
    const here = sharper.map((part) => ({ part, texture: this.#tile(part) }));
    const parts = here.flatMap(({ part, texture }) =>
      texture ? [flatTile(part, texture, levels, win, ratio)] : [],
    );
    if (here.length && parts.length === here.length) return parts;
    // the copy lies beneath only while a tile is missing: to draw everything twice takes twice as long
    return [copy, ...parts];
  }

  /** A tile's texture, if it is here; else it is sent for. */
  #tile(part: TileAt): Texture | null {
    const name = `${part.level}/${part.x}/${part.y}`;
    const found = this.#kept.get(name);
    if (found) {
      this.#kept.delete(name);
      this.#kept.set(name, found);
      return found;
    }
    if (!this.#coming.has(name)) {
      this.#coming.add(name);
      void this.tiles
        .bitmap(part)
        .then((bitmap) => {
          if (this.#over) return;
          this.#kept.set(name, plainly(new Texture(bitmap)));
          while (this.#kept.size > KEPT) {
            const [oldest, texture] = this.#kept.entries().next().value!;
            texture.dispose();
            this.#kept.delete(oldest);
          }
          this.changed();
        })
        .catch(() => undefined) // it was left
        .finally(() => this.#coming.delete(name));
    }
    return null;
  }

  /** Make the copy of a level, of its tiles. What is shown meanwhile is the one before. */
  async #make(level: number) {
    this.#wanted = level;
    const levels = this.tiles.levels!;
    const [width, height] = levels.sizes[level];
    const parts = partsOf(levels, level, [0, 0, this.width, this.height]);
    // the first are on their way while the card makes room, which may take longer than they do
    for (const part of parts.slice(0, AT_ONCE)) this.tiles.bitmap(part).catch(() => undefined);
    const texture = plainly(new DataTexture(null, width, height));
    texture.source.dataReady = false; // it is filled by its tiles
    this.renderer.initTexture(texture);
    texture.generateMipmaps = false;
    const rest = [...parts];
    let left = parts.length;
    const work = async () => {
      for (let part = rest.shift(); part; part = rest.shift()) {
        const bitmap = await this.tiles.bitmap(part);
        if (this.#over || this.#wanted !== level) return;
        const begin = [part.x, part.y].map((v) => (v ? levels.apron : 0));
        const at = [part.x, part.y].map((v) => v * levels.tile);
        const end = [
          Math.min(begin[0] + levels.tile, bitmap.width),
          Math.min(begin[1] + levels.tile, bitmap.height),
        ];
        const source = new Texture(bitmap);
        source.flipY = false;
        const cut = new Box2(new Vector2(...begin), new Vector2(...end));
        // the smaller steps of it are made when its last tile is there
        texture.generateMipmaps = !--left;
        this.renderer.copyTextureToTexture(source, texture, cut, new Vector2(...at));
      }
    };
    try {
      await Promise.all(Array.from({ length: AT_ONCE }, work));
    } catch {
      texture.dispose();
      return; // it was left
    }
    if (this.#over || this.#wanted !== level) {
      texture.dispose();
      return;
    }
    this.#copy?.texture.dispose();
    this.#copy = { level, texture, width };
    this.changed();
  }

  dispose() {
    this.#over = true;
    this.tiles.dispose();
    this.#copy?.texture.dispose();
    for (const texture of this.#kept.values()) texture.dispose();
  }
}

/** A texture that lies flat. corner, size: what of the plate it covers; inside: what of it is shown,
 *  from its own corner; plate pixels. */
function flatPart(
  texture: Texture,
  corner: [number, number],
  size: [number, number],
  inside: [number, number, number, number],
  win: Window2D,
  ratio: number,
): FlatPart {
  const at = (x: number, y: number) =>
    toView(win, [corner[0] + x, corner[1] + y]).map((v) => v * ratio);
  const [[x, y], [x0, y0], [x1, y1]] = [
    at(0, 0),
    at(inside[0], inside[1]),
    at(inside[2], inside[3]),
  ];
  return {
    texture,
    size,
    at: [x, y, win.zoom * ratio],
    inside,
    box: [Math.floor(x0), Math.floor(y0), Math.ceil(x1), Math.ceil(y1)],
  };
}

function flatTile(part: TileAt, texture: Texture, levels: Levels, win: Window2D, ratio: number) {
  const [sx, sy] = levels.sizes[part.level].map((v, i) => v / levels.sizes[0][i]);
  const image = texture.image as { width: number; height: number };
  // the apron begins a little before the tile, except at the plate's own edge
  const begin = [part.x, part.y].map((v) => Math.max(v * levels.tile - levels.apron, 0));
  const core = [part.x, part.y].map((v, i) => v * levels.tile - begin[i]);
  const size: [number, number] = [image.width / sx, image.height / sy];
  const inside: [number, number, number, number] = [
    core[0] / sx,
    core[1] / sy,
    Math.min((core[0] + levels.tile) / sx, size[0]),
    Math.min((core[1] + levels.tile) / sy, size[1]),
  ];
  return flatPart(texture, [begin[0] / sx, begin[1] / sy], size, inside, win, ratio);
}
