/** A look on the graphics card: its numbers as uniforms, its curves and its table as textures. */
import {
  Data3DTexture,
  DataTexture,
  FloatType,
  Vector3,
  Vector4,
  type IUniform,
  type Texture,
} from 'three';
import type { Curves, LookShown } from './station';

type TableShown = NonNullable<LookShown['table']>;

/** What the code of a look reads. */
export const lookUniforms = (): Record<string, IUniform> => ({
  curves: { value: null as Texture | null },
  bent: { value: false },
  look: { value: new Vector4() },
  linear: { value: false },
  table: { value: null as Data3DTexture | null },
  hasTable: { value: false },
  low: { value: new Vector3() },
  high: { value: new Vector3(1, 1, 1) },
});

export const LOOK = /* glsl */ `
  uniform highp sampler2D curves;
  uniform bool bent;
  uniform vec4 look;
  uniform bool linear;
  uniform highp sampler3D table;
  uniform bool hasTable;
  uniform vec3 low;
  uniform vec3 high;`;

export class Looks {
  #curves = new WeakMap<Curves, DataTexture>();
  #table: Data3DTexture | null = null;

  /** colours: of a table, by its digest. */
  constructor(private colours: (digest: string) => Float32Array) {}

  /** Set the uniforms to a look, or to curves alone. */
  put(u: Record<string, IUniform>, look: LookShown | null, alone: Curves | null = null) {
    const curves = look ? look.curves : alone;
    u.bent.value = !!curves;
    u.curves.value = curves ? this.#textureOf(curves) : null;
    if (look) {
      u.look.value.set(look.exposure, look.contrast, look.saturation, look.grey);
      u.linear.value = look.linear;
    }
    const table = look?.table;
    u.hasTable.value = !!table;
    u.table.value = table ? this.#tableOf(table) : null;
    if (table) {
      u.low.value.set(...table.low);
      u.high.value.set(...table.high);
    }
  }

  #tableOf({ digest, side }: TableShown): Data3DTexture {
    if (this.#table?.name !== digest) {
      this.#table?.dispose();
      this.#table = new Data3DTexture(this.colours(digest), side, side, side);
      this.#table.type = FloatType;
      this.#table.name = digest;
      this.#table.needsUpdate = true;
    }
    return this.#table;
  }

  #textureOf(curves: Curves): DataTexture {
    let found = this.#curves.get(curves);
    if (!found) {
      const rows = curves.flatMap((rgb) => [...rgb, 1]);
      found = new DataTexture(new Float32Array(rows), curves.length, 1);
      found.type = FloatType;
      found.needsUpdate = true;
      this.#curves.set(curves, found);
    }
    return found;
  }

  dispose() {
    this.#table?.dispose();
  }
}
