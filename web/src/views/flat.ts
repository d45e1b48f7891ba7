/** A plate as it lies flat beneath everything: its parts, each a rectangle, in one scene. */
import { BufferAttribute, BufferGeometry, Mesh, OrthographicCamera, Scene } from 'three';
import type { WebGLRenderer } from 'three';
import type { FlatPart, Paper } from './paper';

export class Flat {
  #scene = new Scene();
  #camera = new OrthographicCamera();
  #corner = new BufferGeometry();
  #meshes: Mesh[] = [];
  #parts: readonly FlatPart[] = [];
  #room: [number, number] = [1, 1];

  constructor(private paper: Paper) {
    const corners = new Float32Array([0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0]);
    this.#corner.setAttribute('position', new BufferAttribute(corners, 3));
    this.#corner.setIndex([0, 2, 1, 0, 3, 2]); // y grows downwards
  }

  draw(renderer: WebGLRenderer, parts: readonly FlatPart[], room: [number, number]) {
    [this.#parts, this.#room] = [parts, room];
    while (this.#meshes.length < parts.length) this.#add(this.#meshes.length);
    this.#meshes.forEach((mesh, i) => (mesh.visible = i < parts.length));
    renderer.render(this.#scene, this.#camera);
  }

  #add(i: number) {
    const mesh = new Mesh(this.#corner, this.paper.flat);
    mesh.frustumCulled = false;
    mesh.renderOrder = i;
    mesh.onBeforeRender = () => this.paper.layFlat(this.#parts[i], this.#room);
    this.#meshes.push(mesh);
    this.#scene.add(mesh);
  }

  dispose() {
    this.#corner.dispose();
  }
}
