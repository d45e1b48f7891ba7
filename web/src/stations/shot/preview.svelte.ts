/** The shot as the server renders it, small, frame by frame in the background, kept in memory and
 *  played from there. */
import { untrack } from 'svelte';
import { SvelteMap } from 'svelte/reactivity';
import { desk } from '../../lib/desk.svelte';
import { playhead } from '../../project/playhead.svelte';
import { project } from '../../project/project.svelte';
import { cropOf } from './crop';

const WIDEST = 640; // px
const NARROWEST = 192;
const MOST_BYTES = 400 << 20; // of pictures kept in memory
const BUSY_MS = 300;

/** Where a frame of the shot comes from, so wide. */
export const frameAddress = (
  id: number,
  revision: number,
  frame: number,
  width: number,
  only: Only | null = null,
) =>
  `/api/projects/${id}/frame.jpg?revision=${revision}&frame=${frame}&width=${width}` +
  (only ? `&only=${only}` : '');
type Only = 'darkening';

class Preview {
  /** Shown in place of what the views draw, where it is made. */
  on = $state(false);
  /** What of it is seen by itself. */
  only = $state<Only | null>(null);
  made = new SvelteMap<number, ImageBitmap>();
  #of = '';
  #working = false;

  get frames() {
    return project.move?.frames ?? 1;
  }

  get whole() {
    return this.on && this.made.size === this.frames;
  }

  toggle() {
    this.on = !this.on;
    if (this.on) void this.look();
    else this.clear();
  }

  /** Show one thing of it by itself. */
  see(only: Only) {
    [this.only, this.on] = [only, true];
    void this.look();
  }

  /** Make what is missing of the newest step, the frame that is looked at and those after it first;
   *  not while a hand is at work. */
  async look() {
    if (this.#working) return;
    this.#working = true;
    while (this.on && project.state && project.shapes.size) {
      const { id, revision } = project.state;
      const { only } = this;
      const of = `${id}/${revision}/${only ?? ''}`;
      if (of !== this.#of) this.#drop(of);
      const next = this.#next();
      if (next === null) break;
      if (project.tried || document.hidden) {
        await new Promise((later) => setTimeout(later, BUSY_MS));
        continue;
      }
      const picture = await this.#fetch(frameAddress(id, revision, next, this.#width(), only));
      if (this.#of !== of || !this.on) {
        if (typeof picture !== 'string') picture.close();
        continue;
      }
      if (typeof picture === 'string') {
        this.clear();
        project.say(
          `The preview stopped at frame ${playhead.numbered(next)}: ${picture}`,
          'warning',
        );
        break;
      }
      this.made.set(next, picture);
    }
    this.#working = false;
  }

  /** A frame, or why there is none. */
  async #fetch(address: string): Promise<ImageBitmap | string> {
    try {
      const answer = await fetch(address);
      if (answer.ok) return await createImageBitmap(await answer.blob());
      return ((await answer.json()) as { message: string }).message;
    } catch {
      return 'the application did not answer.';
    }
  }

  /** The next frame that is not made, from the one that is looked at on, within the loop first. */
  #next(): number | null {
    const [begin, end] = playhead.loop(this.frames);
    const missing = (from: number, to: number) => {
      for (let f = from; f <= to; f++) if (!this.made.has(f)) return f;
      return null;
    };
    const at = Math.min(Math.max(playhead.frame, begin), end);
    return missing(at, end) ?? missing(begin, at) ?? missing(0, this.frames - 1);
  }

  /** As wide as the whole shot has room in memory for. */
  #width() {
    const { plate, move } = project.scene!;
    const [, , wide, high] = cropOf(plate.width, plate.height, move.frame ?? null);
    const room = Math.sqrt((MOST_BYTES / 4 / this.frames) * (wide / high));
    return Math.round(Math.min(Math.max(room, NARROWEST), WIDEST, Math.max(wide, 16)));
  }

  #drop(of: string) {
    // what is kept is not what whoever drops it depends on
    untrack(() => this.made.forEach((picture) => picture.close()));
    this.made.clear();
    this.#of = of;
  }

  clear() {
    this.on = false;
    this.only = null;
    this.#drop('');
  }
}

export const preview = new Preview();
desk.lay(
  'preview',
  preview,
  () => {
    preview.clear();
    return {};
  },
  [],
);
