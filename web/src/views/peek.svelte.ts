/** Peek: while its key or its chip is held, the large view leaves the lens on a small arc about what
 *  was under the pointer. Nothing is kept: let go, and the lens is the very same object again. */
import type { CameraReading } from '../lib/api/client';
import type { Point } from './camera';
import type { Point3 } from './hand';

const DEG_A_PX = 0.06;
const MOST: Point = [24, 14]; // degrees aside and up

class Peek {
  /** What is looked round, and how far, in degrees; null while the view is at the lens. */
  at = $state.raw<{ about: Point3; aside: number; up: number } | null>(null);
  #from: Point | null = null;

  /** Begin with the pointer somewhere. */
  begin(about: Point3, from: Point) {
    this.at = { about, aside: 0, up: 0 };
    this.#from = from;
  }

  move([x, y]: Point) {
    if (!this.at || !this.#from) return;
    const limit = (v: number, most: number) => Math.min(Math.max(v, -most), most);
    this.at = {
      ...this.at,
      aside: limit((x - this.#from[0]) * DEG_A_PX, MOST[0]),
      up: limit((y - this.#from[1]) * DEG_A_PX, MOST[1]),
    };
  }

  /** Swing by so many degrees more. */
  swing(aside: number, up: number) {
    if (!this.at || !this.#from) return;
    this.move([
      this.#from[0] + (this.at.aside + aside) / DEG_A_PX,
      this.#from[1] + (this.at.up + up) / DEG_A_PX,
    ]);
    this.#from = [this.#from[0] - aside / DEG_A_PX, this.#from[1] - up / DEG_A_PX];
  }

  end() {
    this.at = null;
    this.#from = null;
  }
}

export const peek = new Peek();

/** A camera swung about a place: aside about the upright through it, up about its own right. */
export function swung(
  camera: CameraReading,
  { about, aside, up }: { about: Point3; aside: number; up: number },
): CameraReading {
  if (!aside && !up) return camera;
  const upright = turn([0, 1, 0], (-aside * Math.PI) / 180);
  const right = camera.rotation[0] as Point3;
  const over = turn(right, (up * Math.PI) / 180);
  const both = times(upright, over);
  const from = camera.position.map((v, i) => v - about[i]);
  const to = both.map((row) => row.reduce((sum, v, i) => sum + v * from[i], 0));
  return {
    ...camera,
    position: about.map((v, i) => v + to[i]) as Point3,
    // its axes are turned with it
    rotation: camera.rotation.map((axis) =>
      both.map((row) => row.reduce((sum, v, i) => sum + v * axis[i], 0)),
    ) as CameraReading['rotation'],
  };
}

type Rows = [Point3, Point3, Point3];

/** The turn about an axis of length one, radians (Rodrigues). */
function turn([x, y, z]: Point3, by: number): Rows {
  const [c, s] = [Math.cos(by), Math.sin(by)];
  const t = 1 - c;
  return [
    [t * x * x + c, t * x * y - s * z, t * x * z + s * y],
    [t * x * y + s * z, t * y * y + c, t * y * z - s * x],
    [t * x * z - s * y, t * y * z + s * x, t * z * z + c],
  ];
}

const times = (a: Rows, b: Rows): Rows =>
  a.map((row) =>
    [0, 1, 2].map((j) => row.reduce((sum, v, k) => sum + v * b[k][j], 0)),
  ) as unknown as Rows;
