/** The open project: where it stands, what a drag is trying, and the way changes are kept. */
import {
  api,
  OURS,
  type Answer,
  type Change,
  type Key,
  type LanternShown,
  type Taken,
  type Trouble,
} from '../lib/api/client';
import { arrays } from '../lib/arrays';
import { after, digestsOf, type GuestKnown, type Known, type Scene, type Shape } from './known';

const POLL_MS = 2500;
const GOES = /^(Delete|Drop|Unglaze|SetKeys$)/; // verbs by which something goes

export interface Notice {
  text: string;
  kind: 'plain' | 'warning';
  again?: () => void;
  /** The step that it is about, which can be undone while it is the last one. */
  undoes?: number;
}

/** A change, or how to make it of the scene, and of what is known of it, when its turn comes. */
export type Make = Change | ((scene: Scene, known: Known) => Change | null);
const made = (change: Make, known: Known) =>
  typeof change === 'function' ? change(known.scene, known) : change;

interface Answered {
  data?: unknown;
  error?: Trouble;
  response: Response;
}

/** A project that is open in this window, with the changes that wait for their turn. They go on to
 *  the project they were made in, also when another has been opened meanwhile. */
interface Opened {
  id: number;
  state: Known;
  queue: Promise<unknown>;
  /** What has been sent and is not answered yet: the change as text. */
  underWay: string | null;
}

/** What takes longer than this shows that it is at work, ms. */
const NOTICED = 330;

/** A project that cannot be read where it stands, and the last step that it can be taken back to. */
export interface Damage {
  id: number;
  message: string;
  head: number;
  readable: number | null;
}

const NONE = new Map<string, Shape>();
const NO_KEYS: Key[] = [];
const NO_LANTERNS: LanternShown[] = [];
const NO_TAKES = new Map<string, Taken>();
const NO_GUESTS = new Map<string, GuestKnown>();
const NO_LABELS = new Map<string, number>();

class Project {
  state = $state.raw<Known | null>(null);
  /** What would be known if what a drag is trying were kept. */
  tried = $state.raw<Known | null>(null);
  notice = $state.raw<Notice | null>(null);
  /** Since when something has been at work that takes longer than a moment; null where nothing is. */
  busySince = $state<number | null>(null);
  missing = $state(false);
  damage = $state.raw<Damage | null>(null);

  #waiting: Make | null = null;
  #trying = false;
  #round = 0;
  #opened: Opened | null = null;
  #opening = 0;
  #poll: ReturnType<typeof setInterval> | undefined;

  scene = $derived(this.state?.scene ?? null);
  #now = $derived(this.tried ?? this.state);
  reading = $derived(this.#now?.reading ?? null);
  /** The shot, as it would be if what is tried were kept. */
  move = $derived(this.#now?.scene.move ?? null);
  misses = $derived(this.#now?.misses ?? null);
  shot = $derived(this.#now?.shot ?? null);
  times = $derived(this.#now?.times ?? null);
  /** The shot camera wherever any part of it has a key. */
  keys = $derived(this.#now?.keys ?? NO_KEYS);
  shapes = $derived(this.#now?.shapes ?? NONE);
  lanterns = $derived(this.#now?.lanterns ?? NO_LANTERNS);
  takes = $derived(this.#now?.takes ?? NO_TAKES);
  dress = $derived(this.#now?.dress ?? null);
  guests = $derived(this.#now?.guests ?? NO_GUESTS);
  /** The scene's guests, as they would be if what is tried were kept. */
  guestsNow = $derived(this.#now?.scene.guests ?? []);
  labels = $derived(this.#now?.labels ?? NO_LABELS);

  /** Open a project. Where another is asked for before the answer comes, the answer is dropped. */
  async open(id: number) {
    this.close();
    const mine = this.#opening;
    const { data, error, response } = await api.GET('/api/projects/{id}', {
      params: { path: { id } },
    });
    if (mine !== this.#opening) return;
    this.missing = response.status === 404;
    if (data) await this.#begin(data as Answer, mine);
    else if (error && 'head' in error && error.head != null)
      this.damage = {
        id,
        message: error.message,
        head: error.head,
        readable: error.readable ?? null,
      };
    else if (!this.missing)
      this.say(error?.message ?? 'The project could not be opened.', 'warning');
  }

  async #begin(answer: Answer, mine: number) {
    await arrays.bring(answer);
    if (mine !== this.#opening) return;
    const state = after(null, answer);
    this.damage = null;
    this.#opened = { id: state.id, state, queue: Promise.resolve(), underWay: null };
    this.state = state;
    this.#poll = setInterval(() => void this.#look(), POLL_MS);
    if (state.missing.length) {
      const names = state.missing.map((name) => name.split('/').at(-1)).join(', ');
      this.say(`Damaged, and left out: ${names}. All else is as it was.`, 'warning');
    }
  }

  /** Take a damaged project back to the last step that can be read. */
  async goBack() {
    const at = this.damage;
    if (!at || at.readable === null) return;
    const { data, error } = await api.POST('/api/projects/{id}/history/{number}', {
      params: { path: { id: at.id, number: at.readable } },
      body: { base: at.head },
    });
    if (this.damage !== at) return;
    const all = data && (data as Answer).base === null; // else it is told against what is not known
    if (data) await (all ? this.#begin(data as Answer, this.#opening) : this.open(at.id));
    else this.say(error?.message ?? 'That did not work.', 'warning');
  }

  close() {
    this.#opening++;
    clearInterval(this.#poll);
    this.drop();
    this.#opened = null;
    this.busySince = null;
    this.state = null;
    this.notice = null;
    this.missing = false;
    this.damage = null;
  }

  /** Which frame of the shot is looked at; the playhead says it. */
  lookedAt: () => number = () => 0;

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
      const at = this.#opened;
      const change = made(this.#waiting, this.state);
      const round = this.#round;
      this.#waiting = null;
      if (!change) break;
      const { data } = await api
        .POST('/api/projects/{id}/tries', {
          params: { path: { id: this.state.id } },
          body: { base: this.state.revision, change, frame: this.lookedAt() },
        })
        .catch(() => ({ data: undefined }));
      if (!data || round !== this.#round || at !== this.#opened) continue;
      const base = this.state;
      await arrays.bring(data as Answer).catch(() => undefined);
      if (round === this.#round && this.state === base) this.tried = after(base, data as Answer);
    }
    this.#trying = false;
  }

  /**
   * Make a change and keep it. Changes are sent in the order they were made; one that carries a
   * part of the scene over is given as a function, so that it starts from what those before left.
   */
  async keep(change: Make): Promise<boolean> {
    if (this.busySince !== null && this.#opened?.underWay === JSON.stringify(change)) return false;
    this.#round++;
    this.#waiting = null;
    const ok = await this.#inLine((at) => this.#send(at, change));
    return ok ?? false;
  }

  /** Bring a file in, which the server makes a change of. */
  bring(file: File, unit: number | null): Promise<boolean | null> {
    return this.#inLine((at) =>
      this.#ask(at, async () => {
        const body = new FormData();
        body.append('file', file);
        body.append('base', String(at.state.revision));
        if (unit !== null) body.append('unit_m', String(unit));
        const response = await fetch(`/api/projects/${at.id}/blocking`, {
          method: 'POST',
          headers: OURS,
          body,
        });
        const answer = await response.json();
        return response.ok ? { data: answer, response } : { error: answer, response };
      }),
    );
  }

  /** Bring painted plates back; of a movie one frame. What became of each file is returned; null where nothing was. */
  paint(files: File[], frame: number) {
    return this.send('paint', { files, frame: String(frame) });
  }

  /** Send files for the server to make a change of. fields: what goes with them. What became of each
   *  is returned; null where nothing was. */
  async send(
    to:
      'paint' | 'guest' | 'font' | 'table' | 'panorama' | 'relief' | 'still' | 'camera' | 'footage',
    fields: Record<string, string | File | File[]>,
  ): Promise<NonNullable<Answer['brought']> | null> {
    let told: Answer['brought'] | null = null;
    await this.#inLine((at) =>
      this.#ask(at, async () => {
        const body = new FormData();
        for (const [name, value] of Object.entries(fields))
          for (const one of [value].flat()) body.append(name, one);
        body.append('base', String(at.state.revision));
        const response = await fetch(`/api/projects/${at.id}/${to}`, {
          method: 'POST',
          headers: OURS,
          body,
        });
        const answer = await response.json();
        if (response.ok) told = (answer as Answer).brought ?? [];
        return response.ok ? { data: answer, response } : { error: answer, response };
      }),
    );
    return told;
  }

  undo = () => this.#inLine((at) => this.#step(at, 'undo'));
  redo = () => this.#inLine((at) => this.#step(at, 'redo'));

  goTo(number: number) {
    return this.#inLine((at) =>
      this.#ask(at, () =>
        api.POST('/api/projects/{id}/history/{number}', {
          params: { path: { id: at.id, number } },
          body: { base: at.state.revision },
        }),
      ),
    );
  }

  say(text: string, kind: Notice['kind'] = 'plain', again?: () => void) {
    this.notice = { text, kind, again };
  }

  /** Say something about a project, by its name where another is open by now. */
  #tell(at: Opened, text: string, kind: Notice['kind'] = 'plain', again?: () => void) {
    if (this.#opened === at) this.say(text, kind, again);
    else this.say(`“${at.state.scene.name}”: ${text}`, kind);
  }

  async #inLine<T>(work: (at: Opened) => Promise<T>): Promise<T | null> {
    const at = this.#opened;
    if (!at) return null;
    const next = at.queue.then(() => this.#shown(at, work));
    at.queue = next.catch(() => undefined);
    return next;
  }

  /** Do something, and show that it is at work once it takes longer than a moment. */
  async #shown<T>(at: Opened, work: (at: Opened) => Promise<T>): Promise<T> {
    const began = Date.now();
    const late = setTimeout(() => this.#opened === at && (this.busySince = began), NOTICED);
    try {
      return await work(at);
    } finally {
      clearTimeout(late);
      if (this.#opened === at) this.busySince = null;
    }
  }

  async #take(at: Opened, answer: Answer) {
    try {
      await arrays.bring(answer);
    } catch {
      await this.#reload(at, true);
      return;
    }
    at.state = after(at.state, answer);
    if (this.#opened !== at) return;
    this.state = at.state;
    this.notice = null;
    arrays.keepOnly(digestsOf(at.state, this.tried));
  }

  async #send(at: Opened, change: Make): Promise<boolean> {
    const sent = made(change, at.state);
    at.underWay = typeof change === 'function' ? null : JSON.stringify(change);
    const kept =
      !!sent &&
      (await this.#ask(
        at,
        () =>
          api.POST('/api/projects/{id}/edits', {
            params: { path: { id: at.id } },
            body: { base: at.state.revision, change: sent },
          }),
        () => void this.keep(change),
      ));
    at.underWay = null;
    if (this.#opened === at) {
      this.tried = null;
      // what is gone can be had back where it went
      if (kept && sent && GOES.test(sent.verb) && at.state.undo)
        this.notice = { text: `${at.state.undo}.`, kind: 'plain', undoes: at.state.revision };
    }
    return kept;
  }

  async #step(at: Opened, way: 'undo' | 'redo') {
    this.drop();
    if (!at.state[way]) {
      this.#tell(at, `There is nothing to ${way}.`);
      return;
    }
    await this.#ask(at, () =>
      api.POST(`/api/projects/{id}/${way}`, {
        params: { path: { id: at.id } },
        body: { base: at.state.revision },
      }),
    );
  }

  /** Ask the server for a step, and stand where it says. Says why where it was not made; again:
   *  how to make it once more. */
  async #ask(at: Opened, ask: () => Promise<Answered>, again?: () => void): Promise<boolean> {
    try {
      const { data, error, response } = await ask();
      if (data) {
        await this.#take(at, data as Answer);
        return true;
      }
      if (response.status === 409) await this.#catchUp(at, error, again);
      else this.#tell(at, error?.message ?? 'That did not work; nothing was changed.', 'warning');
    } catch {
      const words = 'The server cannot be reached. Your last change was not kept.';
      this.#tell(at, words, 'warning', again);
    }
    return false;
  }

  async #catchUp(at: Opened, error: Trouble | undefined, again?: () => void) {
    await this.#reload(at);
    const { message = '', since = [], count = since.length } = error ?? {};
    const more = count > since.length ? ` and ${count - since.length} steps before` : '';
    const there = since.length ? ` There: ${since.join(', ')}${more}.` : '';
    this.#tell(at, `${message}${there}`, 'warning', again);
  }

  /** Learn what has happened since, or everything anew. */
  async #reload(at: Opened, all = false) {
    const { data } = await api.GET('/api/projects/{id}', {
      params: { path: { id: at.id }, query: all ? {} : { since: at.state.revision } },
    });
    if (!data) return;
    await arrays.bring(data as Answer);
    at.state = after(at.state, data as Answer);
    if (this.#opened === at) this.state = at.state;
  }

  /** Follow what another window does. */
  async #look() {
    const at = this.#opened;
    if (!at || document.hidden || this.tried) return;
    const { revision } = at.state;
    const { data } = await api
      .GET('/api/projects/{id}/head', { params: { path: { id: at.id } } })
      .catch(() => ({ data: undefined }));
    if (data && this.#opened === at && data.revision !== revision) {
      await this.#inLine(async () => {
        if (at.state.revision === revision) await this.#reload(at);
      }).catch(() => undefined);
    }
  }
}

export const project = new Project();
