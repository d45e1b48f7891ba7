/** The plates of all lanterns on the graphics card: the still's own, which is also shown flat, and
 *  those that were painted, each once however many lanterns throw it. */
import type { WebGLRenderer } from 'three';
import type { LanternShown } from '../lib/api/client';
import { plateOf } from '../project/times';
import type { Paper } from './paper';
import { Plate } from './plate';

const KEPT_PICTURES = 12; // of plates that play, on the graphics card
const REST_MS = 300; // one that is looked at for so long is shown as sharp as any

export class Plates {
  #others = new Map<string, Plate>();
  /** What each lantern threw last: of a plate that plays it stays until its next picture is here. */
  #thrown = new Map<string, Plate>();
  /** Other pictures of the still's footage that were looked at, and the last of them. */
  #looked = new Map<string, Plate>();
  #last: Plate | null = null;
  #wanted = '';
  #resting: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private project: number,
    readonly still: Plate,
    private renderer: WebGLRenderer,
    private paper: Paper,
    private changed: () => void,
    private trouble: (words: string | null) => void,
  ) {
    void still.first.then(() => still.whole()); // it stays, also where it is one of many
  }

  /** Take on the lanterns: their plates are sent for, and thrown when they are here. */
  throwFrom(lanterns: readonly LanternShown[]) {
    this.paper.throwFrom(lanterns);
    const wanted = new Map(lanterns.map((one) => [one.digest, one]));
    const plays = new Set([...wanted.keys()].filter((d) => d.includes('@')).map(plateOf));
    let pictures = 0;
    for (const [digest, plate] of [...this.#others].reverse()) {
      if (wanted.has(digest)) continue;
      if (plays.has(plateOf(digest)) && ++pictures <= KEPT_PICTURES) continue;
      plate.dispose();
      this.#others.delete(digest);
    }
    for (const [digest, { camera }] of wanted) {
      if (digest === this.still.digest || this.#others.has(digest)) continue;
      const plate = new Plate(
        this.project,
        digest,
        camera.width,
        camera.height,
        this.renderer,
        this.changed,
        this.trouble,
      );
      this.#others.set(digest, plate);
    }
    this.#sharpenAtRest([...wanted.keys()]);
    this.put();
  }

  /** Pictures that play are shown small at first, and whole where the playhead stays after they have
   *  been drawn: a card that is slow at it draws no more of them than are looked at. */
  #sharpenAtRest(wanted: string[]) {
    const key = wanted.join();
    if (key === this.#wanted) return;
    this.#wanted = key;
    clearTimeout(this.#resting);
    const plates = wanted.flatMap((digest) => this.#others.get(digest) ?? []);
    const drawn = () => new Promise((go) => requestAnimationFrame(go));
    void Promise.all(plates.map((plate) => plate.first))
      .then(drawn)
      .then(drawn)
      .then(() => {
        if (key !== this.#wanted) return;
        this.#resting = setTimeout(() => plates.forEach((plate) => plate.whole()), REST_MS);
      });
  }

  /** Put what is here of the plates into their lanterns. */
  put() {
    for (const lamp of this.paper.lamps.values()) {
      const digest = lamp.shown!.digest;
      const own = digest === this.still.digest ? this.still : this.#others.get(digest);
      const plate = own?.texture ? own : this.#before(lamp.shown!);
      if (plate) this.#thrown.set(lamp.shown!.id, plate);
      const { width, height } = lamp.shown!.camera;
      // until its own plate is here the still stands in for one of its shape
      const alike = Math.abs(width / height / (this.still.width / this.still.height) - 1) < 0.01;
      const stands = alike && !lamp.shown!.laid ? this.still : null;
      const shown = plate?.texture ? plate : stands;
      if (shown?.texture) lamp.put(shown.texture, width, height);
      lamp.whole.uniforms.lit.value = shown?.texture ? lamp.shown!.strength : 0;
    }
  }

  /** The picture before of a plate that plays, while the next is on its way. */
  #before({ id, digest }: LanternShown): Plate | null {
    const last = this.#thrown.get(id);
    const same = !!last && plateOf(last.digest) === plateOf(digest);
    const there = last === this.still || this.#others.get(last?.digest ?? '') === last;
    return same && there ? last : null;
  }

  /** The still, or another picture of its footage; while that is on its way, the one before. */
  looked(picture: number | null): Plate {
    const { digest, width, height } = this.still;
    const wanted = `${plateOf(digest)}@${picture}`;
    if (picture === null || wanted === digest) return (this.#last = this.still);
    let plate = this.#looked.get(wanted);
    if (!plate) {
      plate = new Plate(
        this.project,
        wanted,
        width,
        height,
        this.renderer,
        this.changed,
        this.trouble,
      );
      this.#looked.set(wanted, plate);
      const [oldest] = this.#looked.keys();
      if (this.#looked.size > KEPT_PICTURES) {
        if (this.#last === this.#looked.get(oldest)) this.#last = null;
        this.#looked.get(oldest)!.dispose();
        this.#looked.delete(oldest);
      }
      void plate.first.then(() => setTimeout(() => this.#last === plate && plate.whole(), REST_MS));
    }
    if (plate.ready) this.#last = plate;
    return this.#last ?? this.still;
  }

  sharpen() {
    for (const plate of [this.still, ...this.#others.values()]) plate.sharpenCast();
  }

  dispose() {
    this.#wanted = '';
    clearTimeout(this.#resting);
    for (const plate of this.#others.values()) plate.dispose();
    this.#others.clear();
    for (const plate of this.#looked.values()) plate.dispose();
    this.#looked.clear();
  }
}
