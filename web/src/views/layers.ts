/** Layers as they are mixed on the graphics card: what is over all else beneath it is drawn straight
 *  onto it, with its depth; any other layer is drawn apart first. All is premultiplied, in the numbers
 *  of the space that the still is kept in. */
import {
  HalfFloatType,
  NearestFilter,
  OrthographicCamera,
  Scene,
  UnsignedByteType,
  WebGLRenderTarget,
  type Color,
  type Texture,
  type WebGLRenderer,
} from 'three';
import { arrays } from '../lib/arrays';
import COMPOSITE from './composite.glsl?raw';
import { sheet } from './sheet';
import { LOOK, Looks, lookUniforms } from './looks';
import type { Layer, Mixing } from './station';

const SAMPLES = 4;
const BLENDS = { over: 0, lighten: 1, sum: 2, difference: 3 };

const MIX = /* glsl */ `
  ${COMPOSITE}
  uniform highp sampler2D above;
  uniform highp sampler2D below;
  ${LOOK}
  uniform bool looked;
  uniform int blend;
  uniform float strength;
  uniform float times;
  void main() {
    ivec2 at = ivec2(gl_FragCoord.xy);
    vec4 layer = texelFetch(above, at, 0);
    if (layer.a <= 0.0 && layer.rgb == vec3(0.0)) discard;
    if (looked) layer = graded(layer, look, linear, bent, curves);
    else if (bent) layer = curved(layer, curves);
    if (hasTable) layer = tabled(layer, table, low, high);
    layer *= strength;
    vec4 beneath = texelFetch(below, at, 0);
    if (blend == 1) gl_FragColor = lighten(layer, beneath);
    else if (blend == 2) gl_FragColor = summed(layer, beneath);
    else if (blend == 3) gl_FragColor = difference(layer, beneath, times);
    else gl_FragColor = over(layer, beneath);
  }`;
const SHOW = /* glsl */ `
  uniform highp sampler2D above;
  uniform vec2 corner;
  void main() { gl_FragColor = vec4(texelFetch(above, ivec2(gl_FragCoord.xy - corner), 0).rgb, 1.0); }`;

/** Whether a layer can be drawn straight onto what is beneath it. */
export const isPlain = ({ blend, strength, curves, look }: Mixing) =>
  (blend ?? 'over') === 'over' && (strength ?? 1) === 1 && !curves && !look;

/** Layers that are drawn in one go: each straight onto the one before. */
export function runsOf(layers: readonly Layer[]): Layer[][] {
  const out: Layer[][] = [];
  let open = false;
  for (const layer of layers) {
    const plain = isPlain(layer) && layer.wipe === undefined && layer.of !== 'plate';
    if (plain && open) out[out.length - 1].push(layer);
    else out.push([layer]);
    open = plain;
  }
  return out;
}

export class Layers {
  #plain: WebGLRenderTarget;
  #deep: WebGLRenderTarget | null = null;
  #all: WebGLRenderTarget; // which of the two it is this time
  #one: WebGLRenderTarget | null = null; // a layer that is drawn apart
  #mix = sheet(MIX, {
    above: { value: null as Texture | null },
    below: { value: null as Texture | null },
    ...lookUniforms(),
    looked: { value: false },
    blend: { value: 0 },
    strength: { value: 1 },
    times: { value: 1 },
  });
  #show = sheet(SHOW, { above: { value: null as Texture | null }, corner: { value: [0, 0] } });
  #looks = new Looks((digest) => arrays.colours(digest));
  #drawn = false; // since the ground: until then there is nothing to be read
  #nothing = new Scene();
  #camera = new OrthographicCamera();

  constructor(private renderer: WebGLRenderer) {
    this.#plain = this.#all = this.#target(false);
  }

  /** deep: in half float. Eight bits are enough where each pixel is written once, and take half as
   *  long on a machine without a graphics card (210 against 460 ms a step of a pan). */
  #target(deep: boolean): WebGLRenderTarget {
    const { extensions } = this.renderer;
    const half =
      deep &&
      (extensions.has('EXT_color_buffer_float') || extensions.has('EXT_color_buffer_half_float'));
    const target = new WebGLRenderTarget(1, 1, {
      type: half ? HalfFloatType : UnsignedByteType,
      samples: SAMPLES,
      minFilter: NearestFilter,
      magFilter: NearestFilter,
      generateMipmaps: false,
      resolveDepthBuffer: false,
    });
    target.scissorTest = true;
    return target;
  }

  /** Begin with nothing but a ground. width, height: canvas pixels. deep: more than one thing is
   *  mixed in a pixel. */
  begin(width: number, height: number, ground: Color, deep: boolean) {
    const { renderer } = this;
    const now = deep ? (this.#deep ??= this.#target(true)) : this.#plain;
    if (now !== this.#all) this.#all.dispose(); // of the two one at a time takes room on the card
    this.#all = now;
    this.#all.setSize(width, height);
    this.#all.scissor.set(0, 0, width, height);
    renderer.setRenderTarget(this.#all);
    renderer.setClearColor(ground, 1);
    renderer.clear();
    this.#drawn = false;
  }

  /** Let only a rectangle be drawn on, in canvas pixels from the lower left. */
  scissor(x: number, y: number, width: number, height: number) {
    this.#all.scissor.set(x, y, width, height);
    this.renderer.setRenderTarget(this.#all);
  }

  /** Put a layer onto what is there. */
  put(how: Mixing, draw: () => void) {
    const { renderer } = this;
    if (!this.#drawn) this.#settle(isPlain(how));
    if (isPlain(how)) {
      draw();
      return;
    }
    const { width, height, scissor } = this.#all;
    const one = (this.#one ??= this.#target(true));
    one.setSize(width, height);
    one.scissor.copy(scissor);
    renderer.setRenderTarget(one);
    renderer.setClearColor(0x000000, 0);
    renderer.clear();
    draw();
    renderer.setRenderTarget(this.#all);
    const u = this.#mix.material.uniforms;
    u.above.value = one.texture;
    // it is drawn into the samples, and read from what they came to: two different memories
    u.below.value = this.#all.texture;
    u.blend.value = BLENDS[how.blend ?? 'over'];
    u.strength.value = how.strength ?? 1;
    u.times.value = how.times ?? 1;
    u.looked.value = !!how.look;
    this.#looks.put(u, how.look ?? null, how.curves ?? null);
    this.#mix.draw(renderer);
  }

  /** What the samples came to is worked out after each drawing, within the scissor only: the ground
   *  has to be there where the first layer is not. */
  #settle(plain: boolean) {
    const { scissor, width, height } = this.#all;
    this.#drawn = true;
    if (plain && scissor.z === width && scissor.w === height) return;
    const was = scissor.clone();
    this.scissor(0, 0, width, height);
    this.renderer.render(this.#nothing, this.#camera);
    this.scissor(was.x, was.y, was.z, was.w);
  }

  /** Show it all in the canvas. corner: where, canvas pixels from the lower left. */
  show(corner: [number, number]) {
    if (!this.#drawn) this.#settle(false);
    this.renderer.setRenderTarget(null);
    this.#show.material.uniforms.above.value = this.#all.texture;
    this.#show.material.uniforms.corner.value = corner;
    this.#show.draw(this.renderer);
  }

  dispose() {
    this.#looks.dispose();
    this.#plain.dispose();
    this.#deep?.dispose();
    this.#one?.dispose();
    this.#mix.dispose();
    this.#show.dispose();
  }
}
