/** Flat pieces of surfaces in order of depth from any eye: a tree of their planes (Fuchs, Kedem and
 *  Naylor 1980). Pieces that pass through one another are cut where they meet, so that there always
 *  is an order. */

/** A convex piece. corners: numbers of each, x, y and z first; what follows is carried along, linear
 *  over the piece. of: whose it is. */
export interface Piece<T> {
  corners: number[][];
  of: T;
}

interface Node<T> {
  plane: Plane;
  pieces: Piece<T>[]; // in the plane, in the order given
  front: Node<T> | null;
  behind: Node<T> | null;
}

type Plane = [number, number, number, number]; // n and n.p

const THICK = 1e-6; // of the largest coordinate: what is nearer to a plane lies in it
const MOST = 20_000; // pieces, after which nothing is cut any more

const height = ([a, b, c, d]: Plane, p: readonly number[]) => a * p[0] + b * p[1] + c * p[2] - d;

/** The plane of a piece, through its first corner and the largest of the triangles from it. */
function planeOf({ corners }: Piece<unknown>): Plane | null {
  const [p] = corners;
  let [best, size]: [Plane | null, number] = [null, 0];
  for (let i = 1; i + 1 < corners.length; i++) {
    const [u, v] = [1, 2].map((k) => corners[i + k - 1].slice(0, 3).map((x, j) => x - p[j]));
    const n = [0, 1, 2].map(
      (k) => u[(k + 1) % 3] * v[(k + 2) % 3] - u[(k + 2) % 3] * v[(k + 1) % 3],
    );
    const length = Math.hypot(...n);
    if (length <= size) continue;
    const [a, b, c] = n.map((x) => x / length);
    [best, size] = [[a, b, c, a * p[0] + b * p[1] + c * p[2]], length];
  }
  return best;
}

/** A piece's two parts, in front of a plane and behind it. */
function cut<T>(piece: Piece<T>, plane: Plane): [Piece<T>, Piece<T>] {
  const parts: [number[][], number[][]] = [[], []];
  const { corners } = piece;
  corners.forEach((p, i) => {
    const q = corners[(i + 1) % corners.length];
    const [a, b] = [height(plane, p), height(plane, q)];
    if (a >= 0) parts[0].push(p);
    if (a <= 0) parts[1].push(p);
    if (a * b < 0) {
      const at = p.map((x, k) => x + ((q[k] - x) * a) / (a - b));
      parts[0].push(at);
      parts[1].push(at);
    }
  });
  return [
    { corners: parts[0], of: piece.of },
    { corners: parts[1], of: piece.of },
  ];
}

export class DepthOrder<T> {
  #root: Node<T> | null = null;
  #count: number;
  #thick: number;

  constructor(pieces: readonly Piece<T>[]) {
    this.#count = pieces.length;
    const largest = pieces.flatMap((p) => p.corners).flatMap((c) => c.slice(0, 3).map(Math.abs));
    this.#thick = THICK * largest.reduce((a, b) => Math.max(a, b), 0);
    this.#root = this.#grown([...pieces]);
  }

  /** All pieces, the farthest first. */
  from(eye: readonly [number, number, number]): Piece<T>[] {
    const out: Piece<T>[] = [];
    const todo: (Node<T> | Piece<T>[] | null)[] = [this.#root];
    while (todo.length) {
      const next = todo.pop()!;
      if (!next) continue;
      if (Array.isArray(next)) {
        out.push(...next);
        continue;
      }
      const ahead = height(next.plane, eye) >= 0;
      const [far, near] = ahead ? [next.behind, next.front] : [next.front, next.behind];
      todo.push(near, next.pieces, far);
    }
    return out;
  }

  #grown(pieces: Piece<T>[]): Node<T> | null {
    // a loop along the front side, so that a thousand sheets in a row do not nest a thousand calls
    let root: Node<T> | null = null;
    const todo: [Piece<T>[], (node: Node<T>) => void][] = [[pieces, (node) => (root = node)]];
    while (todo.length) {
      const [mine, place] = todo.pop()!;
      const start = mine.findIndex((p) => planeOf(p));
      if (start < 0) continue;
      const plane = planeOf(mine[start])!;
      const node: Node<T> = { plane, pieces: [], front: null, behind: null };
      const [front, behind]: [Piece<T>[], Piece<T>[]] = [[], []];
      for (const piece of mine.slice(start)) {
        const heights = piece.corners.map((c) => height(plane, c));
        const [low, high] = [Math.min(...heights), Math.max(...heights)];
        if (low >= -this.#thick && high <= this.#thick) node.pieces.push(piece);
        else if (low >= -this.#thick) front.push(piece);
        else if (high <= this.#thick) behind.push(piece);
        else if (this.#count >= MOST) (low + high > 0 ? front : behind).push(piece);
        else {
          const [a, b] = cut(piece, plane);
          front.push(a);
          behind.push(b);
          this.#count++;
        }
      }
      place(node);
      if (front.length) todo.push([front, (n) => (node.front = n)]);
      if (behind.length) todo.push([behind, (n) => (node.behind = n)]);
    }
    return root;
  }
}
