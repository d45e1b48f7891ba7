/** What is cast on with pictures that can be clear: its pieces, drawn over one another from the
 *  farthest to the nearest. */
import {
  BufferAttribute,
  BufferGeometry,
  Group,
  Matrix4,
  Mesh,
  Vector3,
  type Vector3Like,
} from 'three';
import type { Lamp } from './lamp';
import { DepthOrder, type Piece } from './order';

/** Faces that take the same lanterns. faces: each triangle with corners of its own. at: where they
 *  stand. lamps: the lowest first. before: what is done before each is
 *  drawn. */
export interface Sheet {
  faces: BufferGeometry;
  at: Matrix4;
  lamps: Lamp[];
  before: Mesh['onBeforeRender'];
}

const FIRST = 0.5; // render order: after what is opaque, before wires
const ROOM = 0.4;

export class ClearPieces {
  readonly group = new Group();
  #order = new DepthOrder<Sheet>([]);
  #meshes = new Map<Piece<Sheet>, Mesh[]>();
  #eye = '';

  lay(sheets: readonly Sheet[]) {
    this.clear();
    this.#order = new DepthOrder(sheets.flatMap(piecesOf));
    for (const piece of this.#order.from([0, 0, 0])) {
      const geometry = geometryOf(piece);
      const { lamps } = piece.of;
      const stack = lamps.map((lamp, k) => {
        const mesh = new Mesh(geometry, k ? lamp.over : lamp.clear);
        mesh.frustumCulled = false;
        mesh.matrixAutoUpdate = false;
        mesh.onBeforeRender = piece.of.before;
        return mesh;
      });
      this.#meshes.set(piece, stack);
      this.group.add(...stack);
    }
  }

  /** Let the farthest from an eye be drawn first. */
  seenFrom({ x, y, z }: Vector3Like) {
    const eye = `${x} ${y} ${z}`;
    if (eye === this.#eye) return;
    this.#eye = eye;
    const pieces = this.#order.from([x, y, z]);
    pieces.forEach((piece, i) =>
      this.#meshes.get(piece)!.forEach((mesh, k, { length }) => {
        mesh.renderOrder = FIRST + (ROOM * (i + k / length)) / pieces.length;
      }),
    );
  }

  clear() {
    for (const [mesh] of this.#meshes.values()) mesh.geometry.dispose();
    this.#meshes.clear();
    this.group.clear();
    this.#eye = '';
  }
}

/** The triangles of faces as pieces in the world. Their corners carry the rest position along. */
function piecesOf(sheet: Sheet): Piece<Sheet>[] {
  const { faces, at } = sheet;
  const [position, rest, index] = [faces.attributes.position, faces.attributes.rest, faces.index];
  const count = index ? index.count : position.count;
  const corner = (i: number) => {
    const k = index ? index.getX(i) : i;
    const p = new Vector3().fromBufferAttribute(position, k).applyMatrix4(at);
    const own = rest ? [rest.getX(k), rest.getY(k), rest.getZ(k), rest.getW(k)] : [0, 0, 0, 0];
    return [p.x, p.y, p.z, ...own];
  };
  const out: Piece<Sheet>[] = [];
  for (let i = 0; i + 2 < count; i += 3)
    out.push({ corners: [corner(i), corner(i + 1), corner(i + 2)], of: sheet });
  return out;
}

function geometryOf({ corners }: Piece<Sheet>): BufferGeometry {
  const fan = corners.slice(2).flatMap((c, i) => [corners[0], corners[i + 1], c]);
  const out = new BufferGeometry();
  const part = (from: number, to: number) =>
    new Float32Array(fan.flatMap((c) => c.slice(from, to)));
  out.setAttribute('position', new BufferAttribute(part(0, 3), 3));
  out.setAttribute('rest', new BufferAttribute(part(3, 7), 4));
  out.computeVertexNormals();
  return out;
}
