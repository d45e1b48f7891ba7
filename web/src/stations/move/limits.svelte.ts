/** Travel limits: how far the camera may go from a frame, and how much of the move stands up. Asked
 *  for bit by bit while no hand is at work, the newest question first. */
import { api, type Change, type Limit } from '../../lib/api/client';
import { desk } from '../../lib/desk.svelte';
import { playhead } from '../../project/playhead.svelte';
import { project } from '../../project/project.svelte';

export const WAYS = [
  ['right', 'Right'],
  ['left', 'Left'],
  ['up', 'Up'],
  ['down', 'Down'],
  ['forward', 'In'],
  ['back', 'Out'],
  ['longer', 'Longer lens'],
  ['shorter', 'Wider lens'],
] as const;
export type WayName = (typeof WAYS)[number][0] | 'amount';

export const percent = (share: number) => `${Math.floor(share * 100 + 1e-6)} %`;
const CALM_MS = 350; // after the last change, before anything is asked

class Limits {
  /** What may show: a share of the frame, and how far plate pixels may be pulled. */
  most = $state(0.001);
  stretch = $state(2);
  ways = $state.raw<Partial<Record<WayName, Limit>>>({});
  amount = $state.raw<Limit | null>(null);
  #waysOf = '';
  #amountOf = '';
  #calm: ReturnType<typeof setTimeout> | undefined;
  #asking = false;
  #wanted: (() => Promise<void>)[] = [];

  get #now() {
    const { state } = project;
    return state ? `${state.id}/${state.revision}/${this.most}/${this.stretch}` : '';
  }

  within = (how: 'less' | 'slower'): Change => ({
    verb: 'KeepWithin',
    how,
    tolerance: { most: this.most, stretch: this.stretch },
  });

  askAmount() {
    const of = this.#now;
    if (of === this.#amountOf) return;
    this.#amountOf = of;
    this.amount = null;
    if (!project.keys.length) return;
    this.#soon(async () => {
      const found = await this.#ask('amount', of, 0);
      if (found && of === this.#amountOf) this.amount = found;
    });
  }

  askWays() {
    const { frame } = playhead;
    const of = `${this.#now}/${frame}`;
    if (of === this.#waysOf) return;
    this.#waysOf = of;
    this.ways = {};
    for (const [way] of WAYS)
      this.#soon(async () => {
        if (of !== this.#waysOf) return;
        const found = await this.#ask(way, this.#now, frame);
        if (found && of === this.#waysOf) this.ways = { ...this.ways, [way]: found };
      });
  }

  async #ask(way: WayName, of: string, frame: number): Promise<Limit | null> {
    const { state } = project;
    if (!state || !project.shapes.size || !project.reading?.settled || of !== this.#now)
      return null;
    const query = {
      revision: state.revision,
      frame,
      way,
      most: this.most,
      stretch: this.stretch,
    };
    const { data } = await api
      .GET('/api/projects/{id}/limits', { params: { path: { id: state.id }, query } })
      .catch(() => ({ data: undefined }));
    return data ?? null;
  }

  #soon(question: () => Promise<void>) {
    this.#wanted.push(question);
    clearTimeout(this.#calm);
    this.#calm = setTimeout(() => void this.#run(), CALM_MS);
  }

  async #run() {
    if (this.#asking) return;
    this.#asking = true;
    while (this.#wanted.length) {
      if (project.tried || playhead.playing) {
        await new Promise((then) => setTimeout(then, CALM_MS));
        continue;
      }
      await this.#wanted.shift()!().catch(() => undefined);
    }
    this.#asking = false;
  }
}

export const limits = new Limits();
desk.lay('limits', limits, () => ({ most: 0.001, stretch: 2, ways: {}, amount: null }), [
  'most',
  'stretch',
]);
