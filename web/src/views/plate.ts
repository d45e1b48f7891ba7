/** The plate on the graphics card: one copy that is cast and that lies beneath, and the tiles of it
 *  that are looked at closer. */
import {
  Box2,
  DataTexture,
  Mesh,
  BufferAttribute,
  BufferGeometry,
  PerspectiveCamera,
  Scene,
  Texture,
  Vector2,
  type WebGLRenderer,
} from 'three';
import type { Levels } from '../lib/api/client';
import { toView, type Window2D } from './camera';
import { plainly } from './lookup';
import type { Paper } from './paper';
import type { Region } from './screen';
import { levelFor, levelWithin, partsOf, Tiles, type TileAt } from './tiles';

const FIRST = 2048; // px, the longer side of the copy that is shown first
const LARGEST_CAST = 8192;
const KEPT = 24; // tiles on the card
const AT_ONCE = 6;

interface Copy {
  level: number;
  texture: Texture;
}

export class Plate {
  readonly tiles: Tiles;
  #copy: Copy | null = null;
  #wanted = -1; // the level of the copy that is being made
  #kept = new Map<string, Texture>();
  #coming = new Set<string>();
  #flat = new Scene();
  #camera = new PerspectiveCamera();
  #over = false;

  /** changed: told whenever there is more to show. */
  constructor(
    project: number,
    readonly digest: string,
    readonly width: number,
    readonly height: number,
    private renderer: WebGLRenderer,
    private paper: Paper,
    private changed: () => void,
    trouble: (words: string | null) => void,
  ) {
    this.tiles = new Tiles(project, digest, trouble);
    const whole = new BufferGeometry();
    const corners = new Float32Array([-1, -1, 0, 3, -1, 0, -1, 3, 0]);
    whole.setAttribute('position', new BufferAttribute(corners, 3));
    const sheet = new Mesh(whole, paper.flat);
    sheet.frustumCulled = false;
    this.#flat.add(sheet);
    void this.tiles
      .begin()
      .then((levels) => this.#make(levelWithin(levels, FIRST)))
      .catch(() => undefined); // it was left
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
    return this.#copy ? this.tiles.levels!.sizes[this.#copy.level][0] : 0;
  }

  /** See to it that what is cast is as sharp as it gets in a view. */
  sharpenCast() {
    const levels = this.tiles.levels;
    if (!levels || !this.#copy) return;
    const most = Math.min(LARGEST_CAST, this.renderer.capabilities.maxTextureSize);
    const level = levelWithin(levels, most);
    if (level < this.#copy.level && this.#wanted !== level) void this.#make(level);
  }

  /** Lay it flat in a region, as sharp as is at hand, and send for what is missing. */
  draw(region: Region, win: Window2D) {
    const levels = this.tiles.levels;
    if (!levels || !this.#copy) return;
    const { ratio, left, top, tall } = region.place;
    const zoom = win.zoom * ratio;
    const [x, y] = toView(win, [0, 0]).map((v) => v * ratio);
    const whole: [number, number] = [this.width, this.height];
    const level = levelFor(levels, zoom);
    const seen: [number, number, number, number] = [
      win.x,
      win.y,
      win.x + win.width / win.zoom,
      win.y + win.height / win.zoom,
    ];
    const sharper = level < this.#copy.level ? partsOf(levels, level, seen) : [];
    const here = sharper.map((part) => ({ part, texture: this.#tile(part) }));
    // the copy lies beneath only while a tile is missing: to draw everything twice takes twice as long
    if (!here.length || here.some(({ texture }) => !texture)) {
      this.paper.layFlat(
        this.#copy.texture,
        whole,
        [left + x, top + y, zoom],
        [0, 0, ...whole],
        tall,
      );
      this.renderer.render(this.#flat, this.#camera);
    }
    for (const { part, texture } of here)
      if (texture) this.#drawPart(part, texture, levels, region, win);
    region.wholeScissor();
  }

  #drawPart(part: TileAt, texture: Texture, levels: Levels, region: Region, win: Window2D) {
    const { ratio, left, top, tall } = region.place;
    const [sx, sy] = levels.sizes[part.level].map((v, i) => v / levels.sizes[0][i]);
    const image = texture.image as { width: number; height: number };
    // the apron begins a little before the tile, except at the plate's own edge
    const begin = [part.x, part.y].map((v) => Math.max(v * levels.tile - levels.apron, 0));
    const corner: [number, number] = [begin[0] / sx, begin[1] / sy];
    const core = [part.x, part.y].map((v, i) => v * levels.tile - begin[i]);
    const size: [number, number] = [image.width / sx, image.height / sy];
    const inside: [number, number, number, number] = [
      core[0] / sx,
      core[1] / sy,
      Math.min((core[0] + levels.tile) / sx, size[0]),
      Math.min((core[1] + levels.tile) / sy, size[1]),
    ];
    const [x0, y0] = toView(win, [corner[0] + inside[0], corner[1] + inside[1]]);
    const [x1, y1] = toView(win, [corner[0] + inside[2], corner[1] + inside[3]]);
    if (!region.scissor(x0, y0, x1, y1)) return;
    const [x, y] = toView(win, corner).map((v) => v * ratio);
    this.paper.layFlat(texture, size, [left + x, top + y, win.zoom * ratio], inside, tall);
    this.renderer.render(this.#flat, this.#camera);
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
    this.#copy = { level, texture };
    this.changed();
  }

  dispose() {
    this.#over = true;
    this.tiles.dispose();
    this.#copy?.texture.dispose();
    for (const texture of this.#kept.values()) texture.dispose();
  }
}
