/** The open project: where it stands, what a drag is trying, and the way changes are kept. */
import {
  api,
  type Change,
  type ProxyShown,
  type Scene,
  type Shown,
  type State,
} from './api/client';

const POLL_MS = 2500;

export interface Notice {
  text: string;
  kind: 'plain' | 'warning';
  again?: () => void;
}

/** A change, or how to make it of the scene as it is when its turn comes. */
export type Make = Change | ((scene: Scene) => Change | null);
const made = (change: Make, scene: Scene) =>
  typeof change === 'function' ? change(scene) : change;

class Project {
  state = $state.raw<State | null>(null);
  tried = $state.raw<Shown | null>(null);
  notice = $state.raw<Notice | null>(null);
  missing = $state(false);

  #waiting: Make | null = null;
  #trying = false;
  #round = 0;
  #queue: Promise<unknown> = Promise.resolve();
  #poll: ReturnType<typeof setInterval> | undefined;

  scene = $derived(this.state?.scene ?? null);
  reading = $derived(this.tried?.reading ?? this.state?.shown.reading ?? null);
  shot = $derived(this.tried?.shot ?? this.state?.shown.shot ?? null);
  proxies = $derived.by<ProxyShown[]>(() => {
    const kept = this.state?.shown.proxies ?? [];
    const tried = this.tried?.proxies ?? [];
    if (!tried.length) return kept;
    const by = new Map(tried.map((p) => [p.id, p]));
    return [...kept.filter((p) => !by.has(p.id)), ...tried];
  });

  async open(id: number) {
    this.close();
    const { data, response } = await api.GET('/api/projects/{id}', { params: { path: { id } } });
    this.missing = response.status === 404;
    if (data) this.state = data as State;
    this.#poll = setInterval(() => void this.#look(), POLL_MS);
  }

  close() {
    clearInterval(this.#poll);
    this.state = null;
    this.tried = null;
    this.notice = null;
  }

  /** Ask what would follow from a change. One try is under way at a time; the newest wins. */
  try(change: Make) {
    this.#waiting = change;
    if (!this.#trying) void this.#run();
  }

  /** Forget what was being tried. */
  drop() {
    this.#round++;
    this.#waiting = null;
    this.tried = null;
  }

  async #run() {
    this.#trying = true;
    while (this.#waiting && this.state) {
      const change = made(this.#waiting, this.state.scene);
      const round = this.#round;
      this.#waiting = null;
      if (!change) break;
      const { data } = await api
        .POST('/api/projects/{id}/tries', {
          params: { path: { id: this.state.id } },
          body: { base: this.state.revision, change },
        })
        .catch(() => ({ data: undefined }));
      if (data && round === this.#round) this.tried = data as Shown;
    }
    this.#trying = false;
  }

  /**
   * Make a change and keep it. Changes are sent in the order they were made; one that carries a
   * part of the scene over is given as a function, so that it starts from what those before left.
   */
  keep(change: Make): Promise<boolean> {
    this.#round++;
    this.#waiting = null;
    return this.#inLine(async () => {
      const ok = await this.#send(change);
      this.tried = null;
      return ok;
    });
  }

  undo = () => this.#inLine(() => this.#step('undo'));
  redo = () => this.#inLine(() => this.#step('redo'));

  /** Make the flat plate and go on from it, or bring the bent one back. */
  flatten(back = false) {
    this.say(back ? 'Bringing the bent plate back…' : 'Flattening the plate…');
    return this.#inLine(async () => {
      const at = this.state;
      if (!at) return;
      const ask = { params: { path: { id: at.id } }, body: { base: at.revision } };
      const { data, error, response } = back
        ? await api.POST('/api/projects/{id}/unflatten', ask)
        : await api.POST('/api/projects/{id}/flatten', ask);
      if (data) {
        this.#take(data as State);
        if (back && this.scene?.proxies?.length)
          this.say('The proxies wait unseen until the plate is flattened again.');
      } else if (response.status === 409) await this.#catchUp(error);
      else this.say(error?.message ?? 'That did not work; nothing was changed.', 'warning');
    });
  }

  goTo(number: number) {
    return this.#inLine(async () => {
      if (!this.state) return;
      const { data, error } = await api.POST('/api/projects/{id}/history/{number}', {
        params: { path: { id: this.state.id, number } },
        body: { base: this.state.revision },
      });
      if (data) this.#take(data as State);
      else this.say(error?.message ?? 'That did not work.', 'warning');
    });
  }

  say(text: string, kind: Notice['kind'] = 'plain', again?: () => void) {
    this.notice = { text, kind, again };
  }

  #inLine<T>(work: () => Promise<T>): Promise<T> {
    const next = this.#queue.then(work);
    this.#queue = next.catch(() => undefined);
    return next;
  }

  #take(state: State) {
    this.state = state;
    this.notice = null;
  }

  async #send(change: Make): Promise<boolean> {
    const at = this.state;
    const sent = at && made(change, at.scene);
    if (!sent) return false;
    try {
      const { data, error, response } = await api.POST('/api/projects/{id}/edits', {
        params: { path: { id: at.id } },
        body: { base: at.revision, change: sent },
      });
      if (data) {
        this.#take(data as State);
        return true;
      }
      if (response.status === 409) await this.#catchUp(error, () => void this.keep(change));
      else this.say(error?.message ?? 'That did not work; nothing was changed.', 'warning');
    } catch {
      this.say('The server cannot be reached. Your last change was not kept.', 'warning', () => {
        void this.keep(change);
      });
    }
    return false;
  }

  async #step(way: 'undo' | 'redo') {
    const at = this.state;
    if (!at) return;
    this.drop();
    if (!at[way]) {
      this.say(`There is nothing to ${way}.`);
      return;
    }
    const { data, error, response } = await api.POST(`/api/projects/{id}/${way}`, {
      params: { path: { id: at.id } },
      body: { base: at.revision },
    });
    if (data) this.#take(data as State);
    else if (response.status === 409) await this.#catchUp(error);
    else this.say(error?.message ?? 'That did not work.', 'plain');
  }

  async #catchUp(error: { message: string; since?: string[] } | undefined, again?: () => void) {
    await this.#reload();
    const since = error?.since?.length ? ` There: ${error.since.join(', ')}.` : '';
    this.say(`${error?.message ?? ''}${since}`, 'warning', again);
  }

  async #reload() {
    if (!this.state) return;
    const { data } = await api.GET('/api/projects/{id}', {
      params: { path: { id: this.state.id } },
    });
    if (data) this.state = data as State;
  }

  /** Follow what another window does. */
  async #look() {
    const at = this.state;
    if (!at || document.hidden || this.tried) return;
    const { data } = await api
      .GET('/api/projects/{id}/head', { params: { path: { id: at.id } } })
      .catch(() => ({ data: undefined }));
    if (data && this.state === at && data.revision !== at.revision) {
      await this.#inLine(async () => {
        if (this.state?.revision === at.revision) await this.#reload();
      });
    }
  }
}

export const project = new Project();
