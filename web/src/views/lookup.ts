/** Looking a plate up on the graphics card. */
import {
  ClampToEdgeWrapping,
  LinearFilter,
  LinearMipmapLinearFilter,
  NoColorSpace,
  ShaderMaterial,
  Texture,
  Vector2,
} from 'three';

/* Keys' cubic, as in the core, where the plate is enlarged; the card's own prefilter where not.
   dx, dy: how far the lookup moves in the plate for one pixel across and down the screen. */
export const LOOKUP = /* glsl */ `
  vec4 keys(float t) {
    float a = t * t, b = a * t;
    return vec4(-b + 2.0 * a - t, 3.0 * b - 5.0 * a + 2.0, -3.0 * b + 4.0 * a + t, b - a) * 0.5;
  }
  // exact: enlarged so far, plate pixels are shown as they are
  vec4 lookUp(
    highp sampler2D plate, vec2 size, vec2 texels, float exact,
    highp vec2 pixel, highp vec2 dx, highp vec2 dy
  ) {
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

export const PLATE = /* glsl */ `
  uniform highp sampler2D plate;
  uniform vec2 size;
  uniform vec2 texels;`;

export function plateIn() {
  return {
    plate: { value: null as Texture | null },
    size: { value: new Vector2(1, 1) },
    texels: { value: new Vector2(1, 1) },
  };
}

export function putIn(
  { uniforms }: ShaderMaterial,
  texture: Texture,
  width: number,
  height: number,
) {
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
