/** A mark in the lens view that the arrows move, for picking without a pointer. */
import type { Point } from './camera';

const STEP = 10; // px of the view; with Shift one, with Ctrl many
const [FINE, COARSE] = [1, 50];
const ARROWS: Record<string, Point> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** What the view does with it, as it does with a pointer. */
export interface Pointed {
  size: () => Point;
  press: (at: Point) => boolean; // false: nothing was taken
  move: (at: Point) => void;
  letGo: (at: Point) => void;
  zoom: (by: number, at: Point) => void;
}

export class Mark {
  at = $state.raw<Point>([0, 0]);
  holds = $state(false);

  constructor(private view: Pointed) {}

  /** Put it where the pointer was last, or in the middle. */
  put([x, y]: Point) {
    const [w, h] = this.view.size();
    this.at = x > 0 && y > 0 && x < w && y < h ? [x, y] : [w / 2, h / 2];
    this.holds = false;
    this.view.move(this.at);
  }

  /** Take a key; false where it is none of the mark's. */
  key(e: KeyboardEvent): boolean {
    const way = ARROWS[e.key];
    if (way && !e.altKey) {
      const by = e.shiftKey ? FINE : e.ctrlKey || e.metaKey ? COARSE : STEP;
      const within = (v: number, most: number) => Math.min(Math.max(v, 0), most);
      const [w, h] = this.view.size();
      this.at = [within(this.at[0] + by * way[0], w), within(this.at[1] + by * way[1], h)];
      this.view.move(this.at);
    } else if (e.key === ' ') {
      if (this.holds) this.#letGo();
      else if (this.view.press(this.at)) {
        this.holds = true;
        if (!e.shiftKey) this.#letGo();
      }
    } else if (e.key === '+' || e.key === '=' || e.key === '-') {
      this.view.zoom(e.key === '-' ? 1 / 1.25 : 1.25, this.at);
    } else return false;
    return true;
  }

  #letGo() {
    this.holds = false;
    this.view.letGo(this.at);
  }
}
