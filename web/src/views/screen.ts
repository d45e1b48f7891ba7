/** The one canvas that both views are drawn on: a region of it each. */
import { Color, WebGLRenderer } from 'three';

export interface CanvasPlace {
  ratio: number; // canvas pixels a screen pixel
  left: number; // of the region in the canvas, and the canvas's height: canvas pixels
  top: number;
  tall: number;
}

export class Region {
  place: CanvasPlace = { ratio: 1, left: 0, top: 0, tall: 1 };
  #size: [number, number] = [1, 1];
  #at: [number, number] = [0, 0];
  due = false;

  constructor(
    private screen: Screen,
    readonly pane: HTMLElement,
    private colour: Color,
    private paint: (renderer: WebGLRenderer) => void,
  ) {}

  /** A new picture is due. The pane says so for as long as it is. */
  redraw() {
    this.due = true;
    this.pane.dataset.due = '';
    this.screen.wake();
  }

  /** Let only a rectangle of the region be drawn on, in screen pixels. False where nothing of it is
   *  left. */
  scissor(left: number, top: number, right: number, bottom: number): boolean {
    const [w, h] = this.#size;
    const [x0, y0] = [Math.max(Math.floor(left), 0), Math.max(Math.floor(top), 0)];
    const [x1, y1] = [Math.min(Math.ceil(right), w), Math.min(Math.ceil(bottom), h)];
    if (x1 <= x0 || y1 <= y0) return false;
    const [x, y] = this.#at;
    const tall = this.place.tall / this.place.ratio;
    this.screen.renderer.setScissor(x + x0, tall - (y + y1), x1 - x0, y1 - y0);
    return true;
  }

  wholeScissor() {
    this.scissor(0, 0, ...this.#size);
  }

  draw() {
    const { renderer, canvas } = this.screen;
    const ratio = renderer.getPixelRatio();
    const [pane, all] = [this.pane.getBoundingClientRect(), canvas.getBoundingClientRect()];
    this.#at = [Math.round(pane.left - all.left), Math.round(pane.top - all.top)];
    this.#size = [Math.max(Math.floor(pane.width), 1), Math.max(Math.floor(pane.height), 1)];
    const [x, y] = this.#at;
    this.place = { ratio, left: x * ratio, top: y * ratio, tall: canvas.height };
    const tall = canvas.height / ratio;
    renderer.setViewport(x, tall - y - this.#size[1], ...this.#size);
    this.wholeScissor();
    renderer.setClearColor(this.colour);
    renderer.clear();
    this.paint(renderer);
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
    this.renderer = new WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
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
