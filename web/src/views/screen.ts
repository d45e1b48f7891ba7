/** The one canvas that both views are drawn on: a region of it each. */
import { Color, WebGLRenderer } from 'three';
import { Layers } from './layers';

export interface CanvasPlace {
  ratio: number; // canvas pixels a screen pixel
  size: [number, number]; // of the region, canvas pixels
}

export class Region {
  place: CanvasPlace = { ratio: 1, size: [1, 1] };
  readonly layers: Layers;
  due = false;
  /** More than one thing is mixed in a pixel. */
  deep = false;

  constructor(
    private screen: Screen,
    readonly pane: HTMLElement,
    private ground: Color,
    private paint: (renderer: WebGLRenderer) => void,
  ) {
    this.layers = new Layers(screen.renderer);
  }

  /** A new picture is due. The pane says so for as long as it is. */
  redraw() {
    this.due = true;
    this.pane.dataset.due = '';
    this.screen.wake();
  }

  /** Let only a rectangle of the region be drawn on, in screen pixels. False where nothing of it is
   *  left. */
  scissor(left: number, top: number, right: number, bottom: number): boolean {
    const { ratio, size } = this.place;
    const [w, h] = size;
    const [x0, y0] = [left, top].map((v) => Math.max(Math.floor(v * ratio), 0));
    const x1 = Math.min(Math.ceil(right * ratio), w);
    const y1 = Math.min(Math.ceil(bottom * ratio), h);
    if (x1 <= x0 || y1 <= y0) return false;
    this.layers.scissor(x0, h - y1, x1 - x0, y1 - y0);
    return true;
  }

  wholeScissor() {
    this.layers.scissor(0, 0, ...this.place.size);
  }

  draw() {
    const { renderer, canvas } = this.screen;
    const ratio = renderer.getPixelRatio();
    const [pane, all] = [this.pane.getBoundingClientRect(), canvas.getBoundingClientRect()];
    const [x, y] = [Math.round(pane.left - all.left), Math.round(pane.top - all.top)];
    const [w, h] = [pane.width, pane.height].map((v) => Math.max(Math.floor(v), 1));
    const size: [number, number] = [Math.round(w * ratio), Math.round(h * ratio)];
    this.place = { ratio, size };
    this.layers.begin(...size, this.ground, this.deep);
    this.paint(renderer);
    const corner: [number, number] = [
      Math.round(x * ratio),
      Math.round(canvas.height - (y + h) * ratio),
    ];
    renderer.setViewport(x, canvas.height / ratio - y - h, w, h);
    renderer.setScissor(x, canvas.height / ratio - y - h, w, h);
    this.layers.show(corner);
    this.due = false;
    delete this.pane.dataset.due;
    this.pane.dataset.drawn = String(Number(this.pane.dataset.drawn ?? 0) + 1);
  }
}

export class Screen {
  readonly renderer: WebGLRenderer;
  #regions = new Set<Region>();
  #next = 0;
  #watch: ResizeObserver;

  constructor(readonly canvas: HTMLCanvasElement) {
    this.renderer = new WebGLRenderer({ canvas, preserveDrawingBuffer: true });
    this.renderer.autoClear = false;
    this.renderer.outputColorSpace = 'srgb-linear';
    this.renderer.setScissorTest(true);
    // when the canvas is given another size all that was drawn is gone
    this.#watch = new ResizeObserver(() => this.redraw());
    this.#watch.observe(canvas);
  }

  region(pane: HTMLElement, colour: Color, paint: (renderer: WebGLRenderer) => void): Region {
    const region = new Region(this, pane, colour, paint);
    this.#regions.add(region);
    region.redraw();
    return region;
  }

  /** A pane of the page with its region. `sized` hears of its size, in whole pixels, so that the
   *  canvas and what is worked out for it agree. Returns how to leave. */
  pane(
    pane: HTMLElement,
    colour: string,
    paint: (renderer: WebGLRenderer) => void,
    sized: (size: [number, number]) => void,
  ): { region: Region; leave: () => void } {
    const watch = new ResizeObserver(([e]) => {
      const { width, height } = e.contentRect;
      sized([Math.max(Math.floor(width), 1), Math.max(Math.floor(height), 1)]);
    });
    watch.observe(pane);
    const region = this.region(pane, new Color(colour), paint);
    const leave = () => {
      watch.disconnect();
      this.leave(region);
    };
    return { region, leave };
  }

  leave(region: Region) {
    this.#regions.delete(region);
    region.layers.dispose();
  }

  redraw() {
    for (const region of this.#regions) region.redraw();
  }

  wake() {
    cancelAnimationFrame(this.#next);
    this.#next = requestAnimationFrame(() => this.#draw());
  }

  #draw() {
    const { clientWidth: width, clientHeight: height } = this.canvas;
    const ratio = window.devicePixelRatio;
    const grown =
      this.canvas.width !== Math.floor(width * ratio) ||
      this.canvas.height !== Math.floor(height * ratio);
    if (grown) {
      this.renderer.setPixelRatio(ratio);
      this.renderer.setSize(width, height, false);
    }
    for (const region of this.#regions) if (grown || region.due) region.draw();
  }

  dispose() {
    cancelAnimationFrame(this.#next);
    this.#watch.disconnect();
    this.renderer.dispose();
  }
}
