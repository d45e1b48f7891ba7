/** Meshes and other arrays: bytes under their digest. What a digest names never changes, so each is
 *  fetched once; small ones come with the answer that names them. */
import { OURS, type Answer, type MeshArrays } from './api/client';

const MOST_BYTES = 96 * 2 ** 20;

export interface MeshData {
  readonly digest: string;
  readonly points: Float32Array;
  readonly triangles: Uint32Array;
  readonly wire: Uint32Array;
  /** Of a glazed one: the weight of each point, and where it was at rest times the weight. */
  readonly rest: Float32Array | null;
  /** Of one that is lit as if it were round: its normals, zeros where it is flat. */
  readonly bent: Float32Array | null;
}

class Arrays {
  #bytes = new Map<string, ArrayBuffer>();
  #meshes = new Map<string, MeshData>();

  /** See to it that every array an answer names is here. Throws where one cannot be had. */
  async bring({ arrays, follows }: Answer) {
    for (const [digest, text] of Object.entries(arrays ?? {}))
      if (!this.#bytes.has(digest))
        this.#bytes.set(digest, Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer);
    const named = (follows.shapes ?? []).map((s) => s.mesh.digest);
    for (const guest of follows.guests ?? [])
      named.push(...guest.pieces.map(({ shape }) => shape.mesh.digest));
    const table = follows.dress?.look?.table;
    if (table) named.push(table.digest);
    for (const { around } of follows.dress?.lights ?? []) if (around) named.push(around);
    named.push(...(follows.dress?.reliefs ?? []).map((one) => one.digest));
    if (follows.shot) named.push(follows.shot.digest);
    if (follows.times) named.push(follows.times.digest);
    const missing = [...new Set(named)].filter((d) => !this.#bytes.has(d));
    await Promise.all(missing.map((d) => this.#fetch(d)));
  }

  async #fetch(digest: string) {
    const answer = await fetch(
      new Request(`${window.location.origin}/api/arrays/${digest}`, { headers: OURS }),
    );
    if (!answer.ok) throw new Error('an array is not here any more');
    this.#bytes.set(digest, await answer.arrayBuffer());
  }

  /** A mesh by its digest; the same object each time, so that what is made of it can be kept. */
  mesh(of: MeshArrays): MeshData {
    let found = this.#meshes.get(of.digest);
    if (!found) {
      const bytes = this.#bytes.get(of.digest)!;
      const [p, t] = [of.points * 12, of.triangles * 12];
      const behind = p + t + of.wire * 8;
      found = {
        digest: of.digest,
        points: new Float32Array(bytes, 0, of.points * 3),
        triangles: new Uint32Array(bytes, p, of.triangles * 3),
        wire: new Uint32Array(bytes, p + t, of.wire * 2),
        rest: of.rest ? new Float32Array(bytes, behind, of.points * 4) : null,
        bent: of.bent
          ? new Float32Array(bytes, behind + (of.rest ? of.points * 16 : 0), of.points * 3)
          : null,
      };
      this.#meshes.set(of.digest, found);
    }
    return found;
  }

  /** Colours of a table or a map, each with an alpha of 1. */
  colours(digest: string): Float32Array {
    const numbers = new Float32Array(this.#bytes.get(digest)!);
    const out = new Float32Array((numbers.length / 3) * 4).fill(1);
    for (let i = 0; i < numbers.length; i++) out[4 * Math.floor(i / 3) + (i % 3)] = numbers[i];
    return out;
  }

  /** 16 bit floats, as they are. */
  halves(digest: string): Uint16Array {
    return new Uint16Array(this.#bytes.get(digest)!);
  }

  numbers(digest: string): Float64Array {
    return new Float64Array(this.#bytes.get(digest)!);
  }

  /** Forget what is not used any more, when there is a lot. */
  keepOnly(used: Set<string>) {
    let bytes = 0;
    for (const b of this.#bytes.values()) bytes += b.byteLength;
    if (bytes < MOST_BYTES) return;
    for (const digest of [...this.#bytes.keys()])
      if (!used.has(digest)) {
        this.#bytes.delete(digest);
        this.#meshes.delete(digest);
      }
  }
}

export const arrays = new Arrays();
