/** A lantern on the graphics card: each pixel finds its own place in the plate, from the world point
 *  it shows, so that nothing wobbles on large polygons. The core's renderer is what it must agree
 *  with; a test holds the two together. */
import {
  CustomBlending,
  DoubleSide,
  FloatType,
  Matrix4,
  NearestFilter,
  OneFactor,
  OneMinusSrcAlphaFactor,
  PerspectiveCamera,
  RedFormat,
  ShaderMaterial,
  Texture,
  Vector3,
  WebGLRenderTarget,
  ZeroFactor,
  type IUniform,
} from 'three';
import type { LanternShown } from '../lib/api/client';
import { thrower } from './camera';
import COMPOSITE from './composite.glsl?raw';
import { LOOKUP, PLATE, plateIn, putIn } from './lookup';

const VERTEX = /* glsl */ `
  invariant gl_Position;
  uniform vec3 lantern;
  // homogeneous rest position of a glazed proxy, weight first: (w, w x, w y, w z); w is 0 otherwise
  attribute vec4 rest;
  varying highp vec3 away;
  varying highp vec4 thrown; // homogeneous position relative to the lantern when it was cast on
  varying highp vec3 facing;
  attribute vec3 bent; // the normal of a corner of what is lit as if it were round; 0 otherwise
  varying highp vec3 rounded;
  void main() {
    vec4 world = modelMatrix * vec4(position, 1.0);
    away = world.xyz - lantern;
    thrown = rest.x > 0.0 ? vec4(rest.yzw - rest.x * lantern, rest.x) : vec4(away, 1.0);
    facing = mat3(modelMatrix) * normal;
    rounded = mat3(modelMatrix) * bent;
    gl_Position = projectionMatrix * viewMatrix * world;
  }`;

/* The footprint follows from the plane itself, not from neighbouring pixels, which at an edge lie
   on another plane: at the lens every surface then reads the plate in the very same way. */
const castCode = (dress: string) => /* glsl */ `
  ${PLATE}
  ${LOOKUP}
  ${COMPOSITE}
  uniform mat4 throwing;
  uniform int edge; // 0 stop, 1 hold, 2 mirror
  uniform float lit; // the lantern's own strength
  uniform highp sampler2D nearest; // one over the depth of what it meets first
  uniform bool firstOnly;
  uniform bool bare; // where it does not reach nothing else does: hatched
  uniform bool clear; // what is behind is seen where the picture is clear, and not where it is bare
  uniform float strength;
  uniform vec3 ground; // what is hatched
  uniform float loud;
  uniform int mixing; // 0 over, 1 lighten, 2 sum
  uniform highp sampler2D beneath; // what is drawn already, for what lightens it
  uniform highp vec3 lantern;
  uniform highp vec3 eye; // the viewing camera
  uniform highp vec3 ahead;
  uniform highp vec3 across; // what one pixel adds to a ray of unit depth
  uniform highp vec3 down;
  varying highp vec3 away;
  varying highp vec4 thrown;
  varying highp vec3 facing;
  varying highp vec3 rounded;
  ${dress}
  highp vec2 moved(highp vec3 ray, highp float depth, highp vec3 by, highp vec3 h, highp vec2 pixel) {
    highp vec3 step = depth * (by - ray * dot(facing, by) / dot(facing, ray));
    highp vec3 d = (throwing * vec4(step, 0.0)).xyz;
    return (d.xy - pixel * d.z) / h.z;
  }
  highp vec2 folded(highp vec2 p) {
    if (edge != 2) return clamp(p, vec2(0.0), size);
    highp vec2 q = mod(abs(p), 2.0 * size);
    return min(q, 2.0 * size - q);
  }
  // how much of a place the lantern lights, as the core's unhidden has it; what it met is known
  // at the middle of each cell only, so a surface must be nearer by SLOPE to hide
  float seen(highp vec2 pixel, highp float depth) {
    const float SLOPE = 1.004;
    vec2 cells = vec2(textureSize(nearest, 0));
    vec2 at = pixel / size * cells;
    vec2 cell = floor(at);
    float most = 0.0;
    for (int j = -1; j <= 1; j++)
      for (int i = -1; i <= 1; i++) {
        vec2 one = cell + vec2(i, j);
        vec2 by = clamp((1.5 - abs(at - one - 0.5)) * 2.0, 0.0, 1.0);
        if (by.x * by.y <= most) continue;
        ivec2 c = clamp(ivec2(one), ivec2(0), ivec2(cells) - 1);
        float near = texelFetch(nearest, ivec2(c.x, int(cells.y) - 1 - c.y), 0).r;
        if (near * depth <= SLOPE) most = by.x * by.y;
      }
    return most;
  }
  void main() {
    highp vec3 h = (throwing * thrown).xyz;
    highp vec2 pixel = h.xy / h.z;
    bool inside = h.z > 0.0 && all(greaterThanEqual(pixel, vec2(0.0))) && all(lessThanEqual(pixel, size));
    highp vec3 from = away + lantern - eye;
    highp float depth = dot(from, ahead);
    highp vec3 ray = from / depth;
    highp vec2 dx = moved(ray, depth, across, h, pixel);
    highp vec2 dy = moved(ray, depth, down, h, pixel);
    if (thrown != vec4(away, 1.0)) { // glazed: from its neighbours, which lie on the same triangle
      dx = dFdx(pixel);
      dy = -dFdy(pixel);
    }
    vec4 colour = lookUp(plate, size, texels, 0.0, folded(pixel), dx, dy);
    ${dress && 'colour = toned(colour);'}
    float reach = h.z > 0.0 && (inside || edge != 0) ? 1.0 : 0.0;
    float first = reach > 0.0 && firstOnly && inside ? seen(pixel, h.z / thrown.w) : 1.0;
    // what is clear hides nothing from a lantern that lights first surfaces
    float none = 1.0 - reach * (first + (1.0 - first) * (1.0 - colour.a * lit));
    colour *= reach * first * lit; // premultiplied
    if (!bare && colour.a <= 0.0) discard;
    if (clear && colour.a + none <= 0.0) discard;
    if (bare) {
      float stripe = step(0.8, fract((gl_FragCoord.x + gl_FragCoord.y) / 12.0));
      vec3 hatched = mix(ground, ground + vec3(0.2, 0.07, 0.04) * loud, stripe);
      float hides = clear ? none : 1.0 - colour.a;
      colour = vec4(colour.rgb + hatched * hides, colour.a + hides);
    }
    ${dress && DRESSED_HERE}
    gl_FragColor = colour * strength;
    if (mixing == 1) gl_FragColor = lighten(gl_FragColor, texelFetch(beneath, ivec2(gl_FragCoord.xy), 0));
  }`;

/** Light falls on the side that is looked at. */
const DRESSED_HERE = /* glsl */ `
    float side = dot(facing, from) > 0.0 ? -1.0 : 1.0;
    highp vec3 towards = side * normalize(facing);
    highp vec3 lights = dot(rounded, rounded) > 0.0 ? side * normalize(rounded) : towards;
    // haze dims what is only light, and does not show by it
    vec4 lit4 = dressed(mixing == 0 ? colour : vec4(colour.rgb, 0.0), away + lantern, towards, lights, eye, depth);
    colour = vec4(lit4.rgb, colour.a);`;

/** What all lanterns are looked at with: one set of numbers for all their materials. */
export function sharedUniforms() {
  return {
    strength: { value: 1 },
    ground: { value: new Vector3(0.17, 0.17, 0.17) },
    loud: { value: 1 },
    eye: { value: new Vector3() },
    ahead: { value: new Vector3() },
    across: { value: new Vector3() },
    down: { value: new Vector3() },
    beneath: { value: null as Texture | null },
  };
}
export type Shared = ReturnType<typeof sharedUniforms>;

const MIXINGS = { over: 0, lighten: 1, sum: 2 };
const EDGES = { stop: 0, hold: 1, mirror: 2 };

/** Writes one over the depth, for what a lantern meets first. */
export const nearestMaterial = () =>
  new ShaderMaterial({
    side: DoubleSide,
    vertexShader: /* glsl */ `
      attribute vec4 rest;
      varying highp float depth;
      void main() {
        vec4 world = rest.x > 0.0 ? vec4(rest.yzw / rest.x, 1.0) : modelMatrix * vec4(position, 1.0);
        vec4 seen = viewMatrix * world;
        depth = -seen.z;
        gl_Position = projectionMatrix * seen;
      }`,
    fragmentShader: /* glsl */ `
      varying highp float depth;
      void main() { gl_FragColor = vec4(1.0 / depth, 0.0, 0.0, 1.0); }`,
  });

/** Writes depth alone, exactly where what is cast will be drawn: with it, each pixel is looked up
 *  once, however many surfaces lie behind the nearest. */
export const depthMaterial = () =>
  new ShaderMaterial({
    colorWrite: false,
    side: DoubleSide,
    polygonOffset: true,
    polygonOffsetFactor: 1,
    vertexShader: /* glsl */ `
      invariant gl_Position;
      void main() {
        vec4 world = modelMatrix * vec4(position, 1.0);
        gl_Position = projectionMatrix * viewMatrix * world;
      }`,
    fragmentShader: /* glsl */ `void main() { gl_FragColor = vec4(1.0); }`,
  });

/** A lantern, or the picture of a thing that has its own: that one is laid and not thrown. The rest
 *  position of a corner of such a thing is (1, x, y, 1), its place in the picture, plate pixels. */
export type Thrown = LanternShown;

const SIGHT = 1536; // px, the longer side of what a lantern sees

export class Lamp {
  /** Where nothing else is cast; there, but for what its picture leaves clear; and over what is
   *  cast. */
  readonly whole: ShaderMaterial;
  readonly clear: ShaderMaterial;
  readonly over: ShaderMaterial;
  shown: Thrown | null = null;
  /** What its map of what it meets first was drawn of. */
  sightOf = '';
  target: WebGLRenderTarget | null = null;

  constructor(shared: Shared, dress: Record<string, IUniform>, code: string) {
    const uniforms = {
      ...shared,
      ...dress,
      ...plateIn(),
      throwing: { value: new Matrix4() },
      lantern: { value: new Vector3() },
      edge: { value: 0 },
      lit: { value: 1 },
      nearest: { value: null as Texture | null },
      firstOnly: { value: false },
      mixing: { value: 0 },
      tones: { value: false },
    };
    const make = (bare: boolean, clear = false) =>
      new ShaderMaterial({
        vertexShader: VERTEX,
        fragmentShader: castCode(code),
        side: DoubleSide,
        polygonOffset: true,
        polygonOffsetFactor: 1,
        uniforms: { ...uniforms, bare: { value: bare }, clear: { value: clear } },
      });
    this.whole = make(true);
    this.clear = make(true, true);
    this.over = make(false);
    for (const m of [this.clear, this.over]) [m.transparent, m.depthWrite] = [true, false];
    for (const m of [this.whole, this.clear, this.over]) {
      m.blending = CustomBlending;
      m.blendSrc = OneFactor;
      m.blendDst = OneMinusSrcAlphaFactor;
    }
  }

  /** Be lit, by other code than before. */
  dressIn(code: string) {
    for (const m of [this.whole, this.clear, this.over]) {
      m.fragmentShader = castCode(code);
      m.needsUpdate = true;
    }
  }

  /** Whether what is behind can be seen through its picture anywhere. */
  get canBeClear(): boolean {
    const { alpha, strength, mixing } = this.shown ?? { alpha: false, strength: 1 };
    return alpha || strength < 1 || (mixing ?? 'over') !== 'over';
  }

  /** What tells when the shadow of what it is laid on is another one. */
  get looks(): string {
    const { plate, lit } = this.whole.uniforms;
    return `${(plate.value as Texture | null)?.id ?? ''}:${lit.value}`;
  }

  throwFrom(shown: Thrown) {
    this.shown = shown;
    const u = this.whole.uniforms;
    if (shown.laid) {
      u.throwing.value.identity();
      u.lantern.value.set(0, 0, 0);
    } else {
      u.throwing.value.copy(thrower(shown.camera));
      u.lantern.value.set(...shown.camera.position);
    }
    u.edge.value = EDGES[shown.edge];
    u.lit.value = shown.strength;
    u.firstOnly.value = !shown.through && !!this.target;
    const mixing = shown.mixing ?? 'over';
    u.mixing.value = MIXINGS[mixing];
    // light is added by the card itself; what lightens is mixed here with what is behind it
    this.clear.blendDst = { over: OneMinusSrcAlphaFactor, sum: OneFactor, lighten: ZeroFactor }[
      mixing
    ];
    this.clear.blendDstAlpha = mixing === 'lighten' ? ZeroFactor : OneMinusSrcAlphaFactor;
  }

  /** Cast a copy of the plate, whose own size is given. */
  put(texture: Texture, width: number, height: number) {
    putIn(this.whole, texture, width, height);
  }

  /** A target for what it meets first, of its frame's shape. */
  sight(): WebGLRenderTarget {
    if (!this.target) {
      const { width, height } = this.shown!.camera;
      const s = SIGHT / Math.max(width, height);
      this.target = new WebGLRenderTarget(Math.round(width * s), Math.round(height * s), {
        type: FloatType,
        format: RedFormat,
        minFilter: NearestFilter,
        magFilter: NearestFilter,
      });
      this.whole.uniforms.nearest.value = this.target.texture;
    }
    this.whole.uniforms.firstOnly.value = !this.shown!.through;
    return this.target;
  }

  dispose() {
    for (const m of [this.whole, this.clear, this.over]) m.dispose();
    this.target?.dispose();
  }
}

/** Say which camera looks, and how many pixels its view has: the footprint depends on both. loud:
 *  how much the hatching of what no picture reaches stands out, 0 to 1. */
export function seenBy(
  u: Shared,
  camera: PerspectiveCamera,
  width: number,
  height: number,
  loud: number,
) {
  const m = camera.matrixWorld;
  const p = camera.projectionMatrix.elements;
  u.eye.value.setFromMatrixPosition(m);
  u.ahead.value.setFromMatrixColumn(m, 2).negate();
  u.across.value.setFromMatrixColumn(m, 0).multiplyScalar(2 / (width * p[0]));
  u.down.value.setFromMatrixColumn(m, 1).multiplyScalar(-2 / (height * p[5]));
  u.loud.value = loud;
}
