/** Where the trick would show over the whole move, looked at anew whenever the scene is another. */
import { api, type Strip } from '../lib/api/client';
import { desk } from '../lib/desk.svelte';
import { project } from './project.svelte';

const REST_MS = 30; // between two questions, for others to get their turn
const BUSY_MS = 300;

class WholeMove {
  now = $state.raw<Strip | null>(null);
  #of = '';
  #looking = false;
  #later: ReturnType<typeof setTimeout> | undefined;

  /** Ask for the newest step's frames, again and again until all are known; not while a hand is at
   *  work. */
  async look() {
    const { state } = project;
    if (!state || this.#looking || !project.reading?.settled || !state.scene.proxies.length) return;
    const of = `${state.id}/${state.revision}`;
    if (of === this.#of && this.now?.known !== false) return;
    this.#looking = true;
    const busy = project.tried !== null || document.hidden;
    const found = busy ? undefined : await this.#ask(state.id, state.revision);
    this.#looking = false;
    if (project.state?.id !== state.id) return;
    if (found !== undefined) [this.now, this.#of] = [found, of];
    const again = busy || found?.known === false || project.state.revision !== state.revision;
    if (again) this.#later = setTimeout(() => void this.look(), busy ? BUSY_MS : REST_MS);
  }

  async #ask(id: number, revision: number): Promise<Strip | null> {
    const { data } = await api
      .GET('/api/projects/{id}/strip', { params: { path: { id }, query: { revision } } })
      .catch(() => ({ data: undefined }));
    return data ?? null;
  }

  clear() {
    clearTimeout(this.#later);
    [this.now, this.#of] = [null, ''];
  }
}

export const wholeMove = new WholeMove();
desk.lay(
  'strip',
  wholeMove,
  () => {
    wholeMove.clear();
    return {};
  },
  [],
);

/** The four ways a trick shows: their names, what they mean, and their tones. */
export const MAPS = [
  ['leak', 'Leak', 'nothing there to land on', '#ff8f6b'],
  ['spill', 'Spill', 'a nearer thing’s picture lands there', '#e68aa5'],
  ['stretch', 'Stretch', 'plate pixels pulled past 1.5', '#ffd166'],
  ['reveal', 'Reveal', 'no lantern sees it', '#6fc9d8'],
] as const;
export type MapName = (typeof MAPS)[number][0];
