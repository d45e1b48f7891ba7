/** Where the trick would show over the whole move, looked at anew whenever the scene is another. */
import { api, type Strip } from '../lib/api/client';
import { desk } from '../lib/desk.svelte';
import { project } from './project.svelte';

class WholeMove {
  now = $state.raw<Strip | null>(null);
  #of = '';
  #looking = false;

  async look() {
    const state = project.state;
    if (!state || this.#looking || !project.reading?.settled || !state.scene.proxies.length) return;
    const of = `${state.id}/${state.revision}`;
    if (of === this.#of) return;
    this.#looking = true;
    const { data } = await api
      .GET('/api/projects/{id}/strip', {
        params: { path: { id: state.id }, query: { revision: state.revision } },
      })
      .catch(() => ({ data: undefined }));
    this.#looking = false;
    if (project.state?.id !== state.id) return;
    [this.now, this.#of] = [data ?? null, of];
    if (project.state.revision !== state.revision) void this.look();
  }

  clear() {
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
