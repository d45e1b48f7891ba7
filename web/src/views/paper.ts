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
  ShaderMaterial,
  Texture,
  TextureLoader,
  Vector2,
  Vector3,
} from 'three';
import type { CameraReading } from '../lib/api/client';
import { thrower } from './camera';

const VERTEX = /* glsl */ `
  uniform vec3 lantern;
  varying highp vec3 away;
  void main() {
    vec4 world = modelMatrix * vec4(position, 1.0);
    away = world.xyz - lantern;
    gl_Position = projectionMatrix * viewMatrix * world;
  }`;

/* Keys' cubic, as in the core, where the plate is enlarged; the card's own prefilter where not. */
const LOOKUP = /* glsl */ `
  uniform highp sampler2D plate;
  uniform vec2 size;
  uniform vec2 texels;
  vec4 keys(float t) {
    float a = t * t, b = a * t;
    return vec4(-b + 2.0 * a - t, 3.0 * b - 5.0 * a + 2.0, -3.0 * b + 4.0 * a + t, b - a) * 0.5;
  }
  vec4 lookUp(highp vec2 pixel) {
    highp vec2 uv = pixel / size;
    highp vec2 at = uv * texels;
    float spread = max(length(dFdx(at)), length(dFdy(at)));
    if (spread > 1.3) return texture2D(plate, uv);
    highp vec2 base = floor(at - 0.5);
    highp vec2 f = at - 0.5 - base;
    vec4 wx = keys(f.x), wy = keys(f.y);
    vec4 sum = vec4(0.0);
    for (int j = 0; j < 4; j++) {
      vec4 row = vec4(0.0);
      for (int i = 0; i < 4; i++)
        row += wx[i] * textureLod(plate, (base + vec2(float(i) - 0.5, float(j) - 0.5)) / texels, 0.0);
      sum += wy[j] * row;
    }
    return clamp(sum, 0.0, 1.0);
  }`;

const CAST = /* glsl */ `
  ${LOOKUP}
  uniform mat4 throwing;
  uniform bool hold;
  uniform vec3 bare; // where no picture reaches: hatched, so that it is not told by hue alone
  uniform float loud;
  varying highp vec3 away;
  void main() {
    highp vec3 h = (throwing * vec4(away, 1.0)).xyz;
    highp vec2 pixel = h.xy / h.z;
    bool inside = h.z > 0.0 && all(greaterThanEqual(pixel, vec2(0.0))) && all(lessThanEqual(pixel, size));
    vec4 colour = lookUp(clamp(pixel, vec2(0.0), size));
    if (h.z <= 0.0 || (!inside && !hold)) {
      float stripe = step(0.8, fract((gl_FragCoord.x + gl_FragCoord.y) / 12.0));
      gl_FragColor = vec4(mix(bare, bare + vec3(0.2, 0.07, 0.04) * loud, stripe), 1.0);
    } else gl_FragColor = vec4(colour.rgb, 1.0);
  }`;

const FLAT_VERTEX = /* glsl */ `
  void main() { gl_Position = vec4(position.xy, 1.0, 1.0); }`;
const FLAT = /* glsl */ `
  ${LOOKUP}
  uniform vec3 view; // corner in picture pixels, and view pixels a picture pixel
  uniform float tall;
  void main() {
    highp vec2 pixel = vec2(gl_FragCoord.x, tall - gl_FragCoord.y) / view.z + view.xy;
    vec4 colour = lookUp(clamp(pixel, vec2(0.0), size));
    if (any(lessThan(pixel, vec2(0.0))) || any(greaterThan(pixel, size))) discard;
    gl_FragColor = vec4(colour.rgb, 1.0);
  }`;

export class Paper {
  readonly cast: ShaderMaterial;
  readonly flat: ShaderMaterial;

  /** loud: how much the hatching of what no picture reaches stands out, 0 to 1. */
  constructor(loud = 1) {
    const shared = {
      plate: { value: null as Texture | null },
      size: { value: new Vector2(1, 1) },
      texels: { value: new Vector2(1, 1) },
    };
    this.cast = new ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: CAST,
      side: DoubleSide,
      uniforms: {
        ...shared,
        throwing: { value: new Matrix4() },
        lantern: { value: new Vector3() },
        hold: { value: false },
        bare: { value: new Vector3(0.17, 0.17, 0.17) },
        loud: { value: loud },
      },
    });
    this.flat = new ShaderMaterial({
      vertexShader: FLAT_VERTEX,
      fragmentShader: FLAT,
      depthTest: false,
      depthWrite: false,
      uniforms: { ...shared, view: { value: new Vector3() }, tall: { value: 1 } },
    });
  }

  /** Load the plate. Its numbers pass through unchanged: no colour space is put on them. */
  async load(address: string, width: number, height: number) {
    const texture = await new TextureLoader().loadAsync(address);
    texture.colorSpace = NoColorSpace;
    texture.wrapS = texture.wrapT = ClampToEdgeWrapping;
    texture.minFilter = LinearMipmapLinearFilter;
    texture.magFilter = LinearFilter;
    texture.anisotropy = 8;
    texture.flipY = false;
    const image = texture.image as { width: number; height: number };
    const { uniforms } = this.cast;
    (uniforms.plate.value as Texture | null)?.dispose();
    uniforms.plate.value = texture;
    uniforms.size.value.set(width, height);
    uniforms.texels.value.set(image.width, image.height);
  }

  throwFrom(camera: CameraReading, hold: boolean) {
    this.cast.uniforms.throwing.value.copy(thrower(camera));
    this.cast.uniforms.lantern.value.set(...camera.position);
    this.cast.uniforms.hold.value = hold;
  }

  dispose() {
    (this.cast.uniforms.plate.value as Texture | null)?.dispose();
    this.cast.dispose();
    this.flat.dispose();
  }
}
