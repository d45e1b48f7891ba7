/** A part of the picture that is drawn round, for which frames of the footage are asked. */
import { desk } from '../../lib/desk.svelte';
import type { Point } from '../../views/camera';
import { far } from '../../views/hand';

const MOST_POINTS = 400;
const LEAST = 6; // screen px that it reaches, under which a press meant nothing

class Ringed {
  drawing = $state(false);
  outline = $state.raw<Point[]>([]);
  closed = $state(false);
  zoom = 1;

  begin() {
    this.drawing = !this.drawing;
    this.clear();
  }

  clear() {
    this.outline = [];
    this.closed = false;
  }

  down(at: Point) {
    this.outline = [at];
    this.closed = false;
  }

  move(at: Point) {
    if (this.outline.length && !this.closed && far(at, this.outline.at(-1)!) * this.zoom > 2)
      this.outline = [...this.outline, at];
  }

  up(at: Point) {
    this.move(at);
    if (this.closed || !this.outline.length) return;
    const sides = [0, 1].map((k) => {
      const along = this.outline.map((p) => p[k]);
      return Math.max(...along) - Math.min(...along);
    });
    if (this.outline.length < 3 || Math.min(...sides) * this.zoom < LEAST) return this.clear();
    const step = Math.ceil(this.outline.length / MOST_POINTS);
    this.outline = this.outline.filter((_, i) => i % step === 0);
    this.closed = true;
    this.drawing = false;
  }
}

export const ringed = new Ringed();
desk.lay('ringed', ringed, () => ({ drawing: false, outline: [], closed: false }), []);
