/** Marbles let fall in the scene: worked out by the core, played here. */
import { api, OURS } from '../../lib/api/client';
import { desk } from '../../lib/desk.svelte';
import { project } from '../../project/project.svelte';
import type { MarblesShown } from '../../views/station';

const PER_SECOND = 30;

class Marbles {
  now = $state.raw<MarblesShown | null>(null);
  words = $state<string | null>(null);
  falling = $state(false);
  #round = 0;

  async fall() {
    const state = project.state;
    if (!state) return;
    const mine = ++this.#round;
    this.falling = true;
    const { data, error } = await api
      .GET('/api/projects/{id}/marbles', {
        params: { path: { id: state.id }, query: { revision: state.revision } },
      })
      .catch(() => ({ data: undefined, error: undefined }));
    const answer = data && (await fetch(`/api/arrays/${data.digest}`, { headers: OURS }));
    if (mine !== this.#round) return;
    this.falling = false;
    if (!data || !answer?.ok) {
      project.say(error?.message ?? 'The marbles did not fall. Try again.', 'warning');
      return;
    }
    const places = new Float32Array(await answer.arrayBuffer());
    const { frames, count, radius_m: radius, escaped } = data;
    const began = performance.now();
    const step = () => {
      if (mine !== this.#round) return;
      const at = Math.min(
        Math.floor(((performance.now() - began) / 1000) * PER_SECOND),
        frames - 1,
      );
      const from = at * count * 3;
      this.now = { places: places.subarray(from, from + count * 3), radius };
      if (at < frames - 1) requestAnimationFrame(step);
      else
        this.words = escaped
          ? `${escaped} of ${count} marbles fell out: somewhere walls and floor do not meet.`
          : `All ${count} marbles stayed in.`;
    };
    this.words = null;
    step();
  }

  clear() {
    this.#round++;
    this.falling = false;
    this.now = this.words = null;
  }
}

export const marbles = new Marbles();
desk.lay(
  'marbles',
  marbles,
  () => {
    marbles.clear();
    return {};
  },
  [],
);
