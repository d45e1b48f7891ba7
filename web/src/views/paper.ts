/** The materials that the plate is seen by: flat, beneath everything, and thrown by each lantern. */
import {
  PerspectiveCamera,
  ShaderMaterial,
  Texture,
  Vector2,
  Vector3,
  Vector4,
  type Side,
  type WebGLRenderer,
} from 'three';
import type { DressShown } from '../lib/api/client';
import { arrays } from '../lib/arrays';
import { Beneath } from './beneath';
import { dressCode, Dressing, structureOf } from './dress';
import { Lamp, seenBy, sharedUniforms, type Thrown } from './lamp';
import { LOOKUP, PLATE, plateIn, putIn } from './lookup';

/** A part of a plate that lies flat in a view. */
export interface FlatPart {
  texture: Texture;
  /** What of the plate the texture covers, plate pixels. */
  size: [number, number];
  /** Where its corner is, in canvas pixels from the upper left, and canvas pixels a plate pixel. */
  at: [number, number, number];
  /** What of the texture is shown, plate pixels; and within which canvas pixels: left, top, right
   *  and bottom of each. */
  inside: [number, number, number, number];
  box: [number, number, number, number];
}

const FLAT_VERTEX = /* glsl */ `
  uniform vec4 box;
  uniform vec2 room;
  void main() {
    vec2 at = mix(box.xy, box.zw, position.xy) / room;
    gl_Position = vec4(2.0 * at.x - 1.0, 1.0 - 2.0 * at.y, 1.0, 1.0);
  }`;
const FLAT = /* glsl */ `
  ${PLATE}
  ${LOOKUP}
  uniform float exact;
  uniform vec3 view; // where the texture's corner is, in canvas pixels, and canvas pixels a plate pixel
  uniform vec4 inside; // of the texture, in plate pixels: what of it is shown
  uniform vec2 room;
  void main() {
    highp vec2 pixel = (vec2(gl_FragCoord.x, room.y - gl_FragCoord.y) - view.xy) / view.z;
    if (any(lessThan(pixel, inside.xy)) || any(greaterThan(pixel, inside.zw))) discard;
    vec2 dx = vec2(1.0 / view.z, 0.0), dy = vec2(0.0, 1.0 / view.z);
    gl_FragColor = vec4(lookUp(plate, size, texels, exact, pixel, dx, dy).rgb, 1.0);
  }`;

/** Screen pixels a plate pixel from which on the flat plate shows its pixels as they are. */
const EXACT = 8;

export class Paper {
  readonly flat: ShaderMaterial;
  readonly lamps = new Map<string, Lamp>();
  /** What nothing is cast on. */
  readonly dark: Lamp;
  readonly dressing = new Dressing(
    (digest) => arrays.colours(digest),
    (digest) => arrays.halves(digest),
  );
  readonly #beneath = new Beneath();
  #shared = sharedUniforms();
  #structure = '';
  #code = ''; // by which what is cast is lit

  constructor() {
    this.dark = this.#lamp();
    this.dark.whole.uniforms.lit.value = 0;
    this.flat = new ShaderMaterial({
      vertexShader: FLAT_VERTEX,
      fragmentShader: FLAT,
      depthTest: false,
      depthWrite: false,
      uniforms: {
        ...plateIn(),
        view: { value: new Vector3() },
        inside: { value: new Vector4() },
        box: { value: new Vector4() },
        room: { value: new Vector2(1, 1) },
        exact: { value: 1 / EXACT },
      },
    });
  }

  #lamp() {
    return new Lamp(this.#shared, this.dressing.uniforms, this.#code);
  }

  /** Take on the lanterns. Those that are gone are let go. */
  throwFrom(lanterns: Iterable<Thrown>) {
    const there = new Set<string>();
    for (const shown of lanterns) {
      there.add(shown.id);
      let lamp = this.lamps.get(shown.id);
      if (!lamp) this.lamps.set(shown.id, (lamp = this.#lamp()));
      if (lamp.shown !== shown) lamp.throwFrom(shown);
    }
    for (const [id, lamp] of this.lamps) {
      if (there.has(id)) continue;
      lamp.dispose();
      this.lamps.delete(id);
    }
  }

  /** How strongly faces are drawn over what is behind them, and which sides of them. */
  show(strength: number, side: Side) {
    this.#shared.strength.value = strength;
    const through = strength < 1;
    for (const lamp of [this.dark, ...this.lamps.values()])
      for (const m of [lamp.whole, lamp.clear, lamp.over]) {
        const [clear, writes] = m === lamp.whole ? [through, !through] : [true, false];
        if (m.transparent === clear && m.depthWrite === writes && m.side === side) continue;
        [m.transparent, m.depthWrite, m.side] = [clear, writes, side];
        m.needsUpdate = true;
      }
  }

  /** Light what is cast and fill it with haze; with null, show it as it is. */
  dressIn(dress: DressShown | null) {
    this.dressing.put(dress);
    for (const [id, lamp] of this.lamps) lamp.whole.uniforms.tones.value = this.dressing.tones(id);
    const structure = structureOf(dress);
    if (structure === this.#structure) return;
    this.#structure = structure;
    this.#code = dress ? dressCode(dress) : '';
    for (const lamp of [this.dark, ...this.lamps.values()]) lamp.dressIn(this.#code);
  }

  /** Make ready for a picture that lightens what is drawn already. */
  mixInto(renderer: WebGLRenderer) {
    this.#beneath.take(renderer, this.#shared.beneath);
  }

  seenBy(camera: PerspectiveCamera, width: number, height: number, loud: number) {
    seenBy(this.#shared, camera, width, height, loud);
    this.dressing.seenBy(camera, height);
  }

  /** Lay a texture flat. room: the size of what is drawn on, canvas pixels. */
  layFlat({ texture, size, at, inside, box }: FlatPart, room: [number, number]) {
    putIn(this.flat, texture, ...size);
    const u = this.flat.uniforms;
    u.view.value.set(...at);
    u.inside.value.set(...inside);
    u.box.value.set(...box);
    u.room.value.set(...room);
    this.flat.uniformsNeedUpdate = true; // many parts are drawn with this one material
  }

  dispose() {
    for (const lamp of this.lamps.values()) lamp.dispose();
    this.dark.dispose();
    this.#beneath.dispose();
    this.dressing.dispose();
    this.flat.dispose();
  }
}
