/** The projecting material: each pixel finds its own place in the plate, from the world point it
 *  shows, so that nothing wobbles on large polygons. The core's renderer is what it must agree
 *  with; a test holds the two together. */
import {
  ClampToEdgeWrapping,
  DoubleSide,
  LinearFilter,
  LinearMipmapLinearFilter,
  Matrix4,
  NoColorSpace,
  PerspectiveCamera,
  ShaderMaterial,
  Texture,
  Vector2,
  Vector3,
  Vector4,
} from 'three';
import type { CameraReading } from '../lib/api/client';
import { thrower } from './camera';

const VERTEX = /* glsl */ `
  uniform vec3 lantern;
  varying highp vec3 away;
  varying highp vec3 facing;
  void main() {
    vec4 world = modelMatrix * vec4(position, 1.0);
    away = world.xyz - lantern;
    facing = mat3(modelMatrix) * normal;
    gl_Position = projectionMatrix * viewMatrix * world;
  }`;

/* Keys' cubic, as in the core, where the plate is enlarged; the card's own prefilter where not.
   dx, dy: how far the lookup moves in the plate for one pixel across and down the screen. */
const LOOKUP = /* glsl */ `
  uniform highp sampler2D plate;
  uniform vec2 size;
  uniform vec2 texels;
  uniform float exact; // enlarged so far, plate pixels are shown as they are
  vec4 keys(float t) {
    float a = t * t, b = a * t;
    return vec4(-b + 2.0 * a - t, 3.0 * b - 5.0 * a + 2.0, -3.0 * b + 4.0 * a + t, b - a) * 0.5;
  }
  vec4 lookUp(highp vec2 pixel, highp vec2 dx, highp vec2 dy) {
    highp vec2 uv = pixel / size;
    highp vec2 at = uv * texels;
    float spread = max(length(dx * texels / size), length(dy * texels / size));
    if (spread > 1.3) return textureGrad(plate, uv, dx / size, dy / size);
    if (spread < exact) return texelFetch(plate, ivec2(clamp(at, vec2(0.0), texels - 1.0)), 0);
    highp vec2 base = floor(at - 0.5);
    highp vec2 f = at - 0.5 - base;
    vec4 wx = keys(f.x), wy = keys(f.y);
    ivec2 first = ivec2(base) - 1, last = textureSize(plate, 0) - 1;
    vec4 sum = vec4(0.0);
    for (int j = 0; j < 4; j++) {
      vec4 row = vec4(0.0);
      for (int i = 0; i < 4; i++)
        row += wx[i] * texelFetch(plate, clamp(first + ivec2(i, j), ivec2(0), last), 0);
      sum += wy[j] * row;
    }
    return clamp(sum, 0.0, 1.0);
  }`;

/* The footprint follows from the plane itself, not from neighbouring pixels, which at an edge lie
   on another plane: at the lens every surface then reads the plate in the very same way. */
const CAST = /* glsl */ `
  ${LOOKUP}
  uniform mat4 throwing;
  uniform bool hold;
  uniform float strength;
  uniform float differ; // times which the difference to the flat plate is shown; 0: the picture
  uniform vec3 view; // as for the flat plate
  uniform float tall;
  uniform vec3 bare; // where no picture reaches: hatched, so that it is not told by hue alone
  uniform float loud;
  uniform highp vec3 eye; // the viewing camera, from the lantern
  uniform highp vec3 ahead;
  uniform highp vec3 across; // what one pixel adds to a ray of unit depth
  uniform highp vec3 down;
  varying highp vec3 away;
  varying highp vec3 facing;
  highp vec2 moved(highp vec3 ray, highp float depth, highp vec3 by, highp vec3 h, highp vec2 pixel) {
    highp vec3 step = depth * (by - ray * dot(facing, by) / dot(facing, ray));
    highp vec3 d = (throwing * vec4(step, 0.0)).xyz;
    return (d.xy - pixel * d.z) / h.z;
  }
  void main() {
    highp vec3 h = (throwing * vec4(away, 1.0)).xyz;
    highp vec2 pixel = h.xy / h.z;
    bool inside = h.z > 0.0 && all(greaterThanEqual(pixel, vec2(0.0))) && all(lessThanEqual(pixel, size));
    highp float depth = dot(away - eye, ahead);
    highp vec3 ray = (away - eye) / depth;
    highp vec2 dx = moved(ray, depth, across, h, pixel);
    highp vec2 dy = moved(ray, depth, down, h, pixel);
    vec4 colour = lookUp(clamp(pixel, vec2(0.0), size), dx, dy);
    if (h.z <= 0.0 || (!inside && !hold)) {
      float stripe = step(0.8, fract((gl_FragCoord.x + gl_FragCoord.y) / 12.0));
      gl_FragColor = vec4(mix(bare, bare + vec3(0.2, 0.07, 0.04) * loud, stripe), strength);
    } else if (differ > 0.0) {
      highp vec2 flatly = (vec2(gl_FragCoord.x, tall - gl_FragCoord.y) - view.xy) / view.z;
      vec4 other = lookUp(flatly, dx, dy); // with one footprint, only a shift can show
      vec3 off = floor(abs(colour.rgb - other.rgb) * 255.0 + 0.5) / 255.0; // as it is written out
      gl_FragColor = vec4(off * differ, 1.0);
    } else gl_FragColor = vec4(colour.rgb, strength);
  }`;

const FLAT_VERTEX = /* glsl */ `
  void main() { gl_Position = vec4(position.xy, 1.0, 1.0); }`;
const FLAT = /* glsl */ `
  ${LOOKUP}
  uniform vec3 view; // where the texture's corner is, in screen pixels, and screen pixels a plate pixel
  uniform vec4 inside; // of the texture, in plate pixels: what of it is shown
  uniform float tall;
  void main() {
    highp vec2 pixel = (vec2(gl_FragCoord.x, tall - gl_FragCoord.y) - view.xy) / view.z;
    if (any(lessThan(pixel, inside.xy)) || any(greaterThan(pixel, inside.zw))) discard;
    gl_FragColor = vec4(lookUp(pixel, vec2(1.0 / view.z, 0.0), vec2(0.0, 1.0 / view.z)).rgb, 1.0);
  }`;

/** Screen pixels a plate pixel from which on the flat plate shows its pixels as they are. */
const EXACT = 8;

export class Paper {
  readonly cast: ShaderMaterial;
  readonly flat: ShaderMaterial;

  constructor() {
    this.cast = new ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: CAST,
      side: DoubleSide,
      polygonOffset: true,
      polygonOffsetFactor: 1,
      uniforms: {
        ...lookUpIn(),
        throwing: { value: new Matrix4() },
        lantern: { value: new Vector3() },
        hold: { value: false },
        strength: { value: 1 },
        differ: { value: 0 },
        view: { value: new Vector3() },
        tall: { value: 1 },
        bare: { value: new Vector3(0.17, 0.17, 0.17) },
        loud: { value: 1 },
        eye: { value: new Vector3() },
        ahead: { value: new Vector3() },
        across: { value: new Vector3() },
        down: { value: new Vector3() },
      },
    });
    this.flat = new ShaderMaterial({
      vertexShader: FLAT_VERTEX,
      fragmentShader: FLAT,
      depthTest: false,
      depthWrite: false,
      uniforms: {
        ...lookUpIn(),
        view: { value: new Vector3() },
        inside: { value: new Vector4() },
        tall: { value: 1 },
        exact: { value: 1 / EXACT },
      },
    });
  }

  throwFrom(camera: CameraReading, hold: boolean) {
    this.cast.uniforms.throwing.value.copy(thrower(camera));
    this.cast.uniforms.lantern.value.set(...camera.position);
    this.cast.uniforms.hold.value = hold;
  }

  /** Show how far what is cast is off the flat plate that lies as given (see `layFlat`), so many
   *  times; 0 shows the picture. */
  showDifference(times: number, view: [number, number, number] = [0, 0, 1], tall = 1) {
    this.cast.uniforms.differ.value = times;
    this.cast.uniforms.view.value.set(...view);
    this.cast.uniforms.tall.value = tall;
  }

  /** Cast a copy of the plate, whose own size is given. */
  throwPlate(texture: Texture, width: number, height: number) {
    putIn(this.cast, texture, width, height);
  }

  /** Say which camera looks, and how many pixels its view has: the footprint depends on both.
   *  loud: how much the hatching of what no picture reaches stands out, 0 to 1. */
  seenBy(camera: PerspectiveCamera, width: number, height: number, loud: number) {
    const u = this.cast.uniforms;
    const m = camera.matrixWorld;
    const p = camera.projectionMatrix.elements;
    u.eye.value.setFromMatrixPosition(m).sub(u.lantern.value);
    u.ahead.value.setFromMatrixColumn(m, 2).negate();
    u.across.value.setFromMatrixColumn(m, 0).multiplyScalar(2 / (width * p[0]));
    u.down.value.setFromMatrixColumn(m, 1).multiplyScalar(-2 / (height * p[5]));
    u.loud.value = loud;
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
    this.cast.dispose();
    this.flat.dispose();
  }
}

function lookUpIn() {
  return {
    plate: { value: null as Texture | null },
    size: { value: new Vector2(1, 1) },
    texels: { value: new Vector2(1, 1) },
    exact: { value: 0 },
  };
}

function putIn({ uniforms }: ShaderMaterial, texture: Texture, width: number, height: number) {
  const image = texture.image as { width: number; height: number };
  uniforms.plate.value = texture;
  uniforms.size.value.set(width, height);
  uniforms.texels.value.set(image.width, image.height);
}

/** A texture whose numbers pass through unchanged. */
export function plainly<T extends Texture>(texture: T): T {
  texture.colorSpace = NoColorSpace;
  texture.wrapS = texture.wrapT = ClampToEdgeWrapping;
  texture.minFilter = LinearMipmapLinearFilter;
  texture.magFilter = LinearFilter;
  texture.generateMipmaps = true;
  texture.anisotropy = 8;
  texture.flipY = false;
  texture.needsUpdate = true;
  return texture;
}
