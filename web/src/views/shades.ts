/** Materials without a picture: plain shades of faces, and marbles. */
import { ShaderMaterial, type Side } from 'three';

/* Plain shades: the more a face looks at whoever looks at it, the lighter it is. */
const SHADED_VERTEX = /* glsl */ `
  varying vec3 facing;
  varying vec3 from;
  void main() {
    vec4 at = vec4(position, 1.0);
    vec3 n = normal;
    #ifdef USE_INSTANCING
      at = instanceMatrix * at;
      n = mat3(instanceMatrix) * n;
    #endif
    vec4 seen = modelViewMatrix * at;
    facing = normalize(normalMatrix * n);
    from = normalize(-seen.xyz);
    gl_Position = projectionMatrix * seen;
  }`;
const SHADED = /* glsl */ `
  uniform float strength;
  varying vec3 facing;
  varying vec3 from;
  void main() {
    float light = 0.22 + 0.62 * abs(dot(normalize(facing), normalize(from)));
    vec3 tone = gl_FrontFacing ? vec3(0.78, 0.86, 0.82) : vec3(0.80, 0.56, 0.48);
    gl_FragColor = vec4(tone * light, strength);
  }`;
const MARBLE = /* glsl */ `
  varying vec3 facing;
  varying vec3 from;
  void main() {
    float light = 0.4 + 0.6 * max(dot(normalize(facing), normalize(from)), 0.0);
    gl_FragColor = vec4(vec3(1.0, 0.82, 0.40) * light, 1.0);
  }`;

export const marbleMaterial = () =>
  new ShaderMaterial({ vertexShader: SHADED_VERTEX, fragmentShader: MARBLE });

export const shadedMaterial = () =>
  new ShaderMaterial({
    vertexShader: SHADED_VERTEX,
    fragmentShader: SHADED,
    polygonOffset: true,
    polygonOffsetFactor: 1,
    uniforms: { strength: { value: 1 } },
  });

/** Let what is behind a material's faces show through, and draw their backs or not. */
export function seenThrough(material: ShaderMaterial, strength: number, side: Side) {
  material.uniforms.strength.value = strength;
  const through = strength < 1;
  if (material.transparent !== through || material.side !== side) {
    [material.transparent, material.depthWrite, material.side] = [through, !through, side];
    material.needsUpdate = true;
  }
}
