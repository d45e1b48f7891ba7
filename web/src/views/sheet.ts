/** One triangle over everything that is drawn on, for passes over whole pictures. */
import {
  BufferAttribute,
  BufferGeometry,
  Mesh,
  NoBlending,
  OrthographicCamera,
  ShaderMaterial,
  type WebGLRenderer,
} from 'three';

const VERTEX = /* glsl */ `
  void main() { gl_Position = vec4(position.xy, 0.0, 1.0); }`;

/** One triangle over everything, drawn with a material. */
export class Sheet {
  #mesh: Mesh;
  #camera = new OrthographicCamera();

  constructor(readonly material: ShaderMaterial) {
    const geometry = new BufferGeometry();
    const corners = new Float32Array([-1, -1, 0, 3, -1, 0, -1, 3, 0]);
    geometry.setAttribute('position', new BufferAttribute(corners, 3));
    this.#mesh = new Mesh(geometry, material);
    this.#mesh.frustumCulled = false;
  }

  draw(renderer: WebGLRenderer) {
    renderer.render(this.#mesh, this.#camera);
  }

  dispose() {
    this.#mesh.geometry.dispose();
    this.material.dispose();
  }
}

export const sheet = (fragmentShader: string, uniforms: ShaderMaterial['uniforms']) =>
  new Sheet(
    new ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader,
      uniforms,
      depthTest: false,
      depthWrite: false,
      blending: NoBlending,
    }),
  );
