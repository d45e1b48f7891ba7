/** The materials that the plate is seen by: flat, beneath everything, and thrown by each lantern. */
import { PerspectiveCamera, ShaderMaterial, Texture, Vector3, Vector4, type Side } from 'three';
import type { LanternShown } from '../lib/api/client';
import { Lamp, seenBy, sharedUniforms } from './lamp';
import { LOOKUP, PLATE, plateIn, putIn } from './lookup';

const FLAT_VERTEX = /* glsl */ `
  void main() { gl_Position = vec4(position.xy, 1.0, 1.0); }`;
const FLAT = /* glsl */ `
  ${PLATE}
  ${LOOKUP}
  uniform float exact;
  uniform vec3 view; // where the texture's corner is, in screen pixels, and screen pixels a plate pixel
  uniform vec4 inside; // of the texture, in plate pixels: what of it is shown
  uniform float tall;
  void main() {
    highp vec2 pixel = (vec2(gl_FragCoord.x, tall - gl_FragCoord.y) - view.xy) / view.z;
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
  #shared = sharedUniforms();

  constructor() {
    this.dark = new Lamp(this.#shared);
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
        tall: { value: 1 },
        exact: { value: 1 / EXACT },
      },
    });
  }

  /** Take on the lanterns. Those that are gone are let go. */
  throwFrom(lanterns: Iterable<LanternShown>) {
    const there = new Set<string>();
    for (const shown of lanterns) {
      there.add(shown.id);
      let lamp = this.lamps.get(shown.id);
      if (!lamp) this.lamps.set(shown.id, (lamp = new Lamp(this.#shared)));
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

  /** Show how far what is cast is off the flat plate that lies as given (see `layFlat`), so many
   *  times; 0 shows the picture. */
  showDifference(times: number, view: [number, number, number] = [0, 0, 1], tall = 1) {
    this.#shared.differ.value = times;
    this.#shared.view.value.set(...view);
    this.#shared.tall.value = tall;
  }

  /** The copy of the flat plate that the difference is shown to. */
  compareWith(texture: Texture, width: number, height: number) {
    const image = texture.image as { width: number; height: number };
    this.#shared.beneath.value = texture;
    this.#shared.beneathSize.value.set(width, height);
    this.#shared.beneathTexels.value.set(image.width, image.height);
  }

  seenBy(camera: PerspectiveCamera, width: number, height: number, loud: number) {
    seenBy(this.#shared, camera, width, height, loud);
  }

  /** Lay a texture flat. width, height: what of the plate it covers, in plate pixels. x, y: where
   *  its corner is in the canvas, in canvas pixels. zoom: canvas pixels a plate pixel. inside: what
   *  of it is shown. tall: the canvas's height. */
  layFlat(
    texture: Texture,
    [width, height]: [number, number],
    [x, y, zoom]: [number, number, number],
    inside: [number, number, number, number],
    tall: number,
  ) {
    putIn(this.flat, texture, width, height);
    this.flat.uniforms.view.value.set(x, y, zoom);
    this.flat.uniforms.inside.value.set(...inside);
    this.flat.uniforms.tall.value = tall;
  }

  dispose() {
    for (const lamp of this.lamps.values()) lamp.dispose();
    this.dark.dispose();
    this.flat.dispose();
  }
}
