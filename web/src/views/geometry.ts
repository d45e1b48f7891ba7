/** Meshes as the graphics card takes them, made once for all who draw them. */
import { BufferAttribute, BufferGeometry } from 'three';
import type { MeshData } from '../lib/arrays';

export interface Geometry {
  faces: BufferGeometry;
  wire: BufferGeometry;
  glazed: boolean;
}

const made = new Map<string, Geometry & { users: number }>();

/** A mesh's geometry. Whoever takes it lets it go again. */
export function take(mesh: MeshData): Geometry {
  let found = made.get(mesh.digest);
  if (!found) {
    const points = new BufferAttribute(mesh.points, 3);
    // each triangle with corners and a normal of its own: the shader needs its plane
    const whole = new BufferGeometry();
    whole.setAttribute('position', points);
    if (mesh.rest) whole.setAttribute('rest', new BufferAttribute(mesh.rest, 4));
    if (mesh.bent) whole.setAttribute('bent', new BufferAttribute(mesh.bent, 3));
    whole.setIndex(new BufferAttribute(mesh.triangles, 1));
    const faces = whole.toNonIndexed();
    faces.computeVertexNormals();
    whole.dispose();
    const wire = new BufferGeometry();
    wire.setAttribute('position', points);
    wire.setIndex(new BufferAttribute(mesh.wire, 1));
    made.set(mesh.digest, (found = { faces, wire, glazed: !!mesh.rest, users: 0 }));
  }
  found.users++;
  return found;
}

export function letGo(mesh: MeshData) {
  const found = made.get(mesh.digest);
  if (!found || --found.users) return;
  found.faces.dispose();
  found.wire.dispose();
  made.delete(mesh.digest);
}
