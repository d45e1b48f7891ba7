import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { Change } from '../src/lib/api/client';
import type { Scene } from '../src/project/known';

const EMPTY = {
  id: 1,
  base: null as number | null,
  revision: 0,
  changed: {},
  gone: [],
  order: {},
  follows: {},
  arrays: {},
  missing: [] as string[],
  undo: null as string | null,
  redo: null as string | null,
};

/** A server of one project whose scene is a pair of numbers, slow to answer. */
class Server {
  revisions: { parent: number | null; at: [number, number] }[] = [{ parent: null, at: [0, 0] }];
  head = 0;
  sent: { base: number; change?: unknown }[] = [];
  down = false;

  /** What differs for somebody who knows a step, or knows none. */
  answer(base: number | null) {
    const { parent, at } = this.revisions[this.head];
    const more = this.revisions.some((r) => r.parent === this.head);
    return {
      ...EMPTY,
      base,
      revision: this.head,
      changed: { sighting: { principal: at } },
      undo: parent === null ? null : 'Change',
      redo: more ? 'Change' : null,
    };
  }

  fetch = async (request: Request): Promise<Response> => {
    const path = new URL(request.url).pathname;
    const body = request.method === 'POST' ? await request.json() : null;
    await new Promise((done) => setTimeout(done, 20));
    if (this.down) throw new TypeError('unreachable');
    const since = new URL(request.url).searchParams.get('since');
    if (!body) return this.#say(this.answer(since === null ? null : Number(since)));
    this.sent.push(body);
    if (body.base !== this.head)
      return this.#say({ message: 'The project has changed.', since: ['Other'] }, 409);
    if (path.endsWith('/edits')) {
      if (body.change.principal[0] < 0) return this.#say({ message: 'Not there.' }, 422);
      this.revisions.push({ parent: this.head, at: body.change.principal });
      this.head = this.revisions.length - 1;
    } else if (path.endsWith('/undo')) this.head = this.revisions[this.head].parent!;
    return this.#say(this.answer(body.base));
  };
  #say = (body: unknown, status = 200) => Response.json(body, { status });
}

const at = (s: Scene) => s.sighting!.principal as [number, number];
const set = (x: number, y: number): Change => ({ verb: 'SetPrincipal', principal: [x, y] });
const setX = (x: number) => (s: Scene) => set(x, at(s)[1]);
const setY = (y: number) => (s: Scene) => set(at(s)[0], y);

let server: Server;
async function opened() {
  const { project } = await import('../src/project/project.svelte');
  await project.open(1);
  return project;
}

beforeEach(() => {
  vi.resetModules();
  server = new Server();
  vi.stubGlobal('window', { location: { origin: 'http://lantern.test' } });
  vi.stubGlobal('document', { hidden: false });
  vi.stubGlobal('fetch', server.fetch);
});
afterEach(() => vi.unstubAllGlobals());

describe('a project', () => {
  /** Answers for any project, by its number; what is asked of a slow one waits to be let go. */
  function several(slow: number[]) {
    const waiting: (() => void)[] = [];
    const asked: string[] = [];
    const fetch = async (request: Request) => {
      const path = new URL(request.url).pathname;
      const id = Number(path.split('/')[3]);
      asked.push(`${request.method} ${path}`);
      if (slow.includes(id)) await new Promise<void>((done) => waiting.push(done));
      const revision = request.method === 'POST' ? 1 : 0;
      const base = request.method === 'POST' ? (await request.json()).base : null;
      const changed = { name: `project ${id}`, sighting: { principal: [id, revision] } };
      return Response.json({ ...EMPTY, id, base, revision, changed });
    };
    vi.stubGlobal('fetch', fetch);
    return { asked, letGo: () => waiting.splice(0).forEach((done) => done()) };
  }

  it('opened while another is loading is the one that stands there in the end', async () => {
    const { letGo } = several([1]);
    const { project } = await import('../src/project/project.svelte');
    const first = project.open(1);
    await project.open(2);
    letGo();
    await first;
    expect(project.state?.id).toBe(2);
    project.close();
    expect(project.state).toBeNull();
  });

  it('that is left gets the changes that still waited, and the next one none of them', async () => {
    const { asked, letGo } = several([]);
    const { project } = await import('../src/project/project.svelte');
    await project.open(1);
    const kept = [project.keep(set(1, 1)), project.keep(set(2, 2))];
    await project.open(2);
    letGo();
    expect(await Promise.all(kept)).toEqual([true, true]);
    expect(asked.filter((a) => a.startsWith('POST'))).toEqual([
      'POST /api/projects/1/edits',
      'POST /api/projects/1/edits',
    ]);
    expect(project.state?.id).toBe(2);
    expect(at(project.scene!)).toEqual([2, 0]);
    project.close();
  });

  it('shows that it is at work once that takes longer than a moment, and begins nothing twice', async () => {
    const slow: number[] = [];
    const { asked, letGo } = several(slow);
    const { project } = await import('../src/project/project.svelte');
    await project.open(1);
    slow.push(1);
    const first = project.keep(set(1, 1));
    expect(project.busySince).toBeNull();
    await new Promise((done) => setTimeout(done, 400));
    expect(project.busySince).not.toBeNull();
    expect(await project.keep(set(1, 1))).toBe(false);
    const other = project.keep(set(2, 2));
    letGo();
    await first;
    await new Promise((done) => setTimeout(done, 20));
    letGo();
    expect([await first, await other]).toEqual([true, true]);
    expect(project.busySince).toBeNull();
    expect(asked.filter((a) => a.startsWith('POST'))).toHaveLength(2);
    project.close();
  });

  it('that cannot be read says so, and goes back to the step that can', async () => {
    const asked: unknown[] = [];
    vi.stubGlobal('fetch', async (request: Request) => {
      if (request.method === 'GET')
        return Response.json({ message: 'Damaged.', head: 7, readable: 5 }, { status: 422 });
      asked.push([new URL(request.url).pathname, await request.json()]);
      const missing = ['move', 'proxies/box-3'];
      return Response.json({ ...EMPTY, id: 3, revision: 5, missing });
    });
    const { project } = await import('../src/project/project.svelte');
    await project.open(3);
    expect(project.state).toBeNull();
    expect(project.damage).toMatchObject({ message: 'Damaged.', readable: 5 });
    await project.goBack();
    expect(asked).toEqual([['/api/projects/3/history/5', { base: 7 }]]);
    expect(project.damage).toBeNull();
    expect(project.state?.revision).toBe(5);
    expect(project.notice?.text).toContain('left out: move, box-3');
    project.close();
  });
});

describe('changes', () => {
  it('are sent one after another, each on what the one before left', async () => {
    const project = await opened();
    await Promise.all([project.keep(setX(3)), project.keep(setY(4)), project.keep(setX(5))]);
    expect(at(project.scene!)).toEqual([5, 4]);
    expect(server.sent.map((s) => s.base)).toEqual([0, 1, 2]);
    project.close();
  });

  it('are all undone by as many undos, pressed before any answer came', async () => {
    const project = await opened();
    void project.keep(setX(3));
    void project.keep(setY(4));
    await Promise.all([project.undo(), project.undo(), project.undo()]);
    expect(at(project.scene!)).toEqual([0, 0]);
    expect(project.notice?.text).toBe('There is nothing to undo.');
    project.close();
  });

  it('that are refused leave everything as it was, and say why', async () => {
    const project = await opened();
    await project.keep(set(1, 1));
    expect(await project.keep(set(-1, 0))).toBe(false);
    expect(at(project.scene!)).toEqual([1, 1]);
    expect(project.notice).toMatchObject({ text: 'Not there.', kind: 'warning' });
    project.close();
  });

  it('that meet another window can be made again on what is there now', async () => {
    const project = await opened();
    server.revisions.push({ parent: 0, at: [7, 7] });
    server.head = 1;
    expect(await project.keep(setX(3))).toBe(false);
    expect(at(project.scene!)).toEqual([7, 7]);
    expect(project.notice?.text).toContain('Other');
    project.notice!.again!();
    await vi.waitFor(() => expect(at(project.scene!)).toEqual([3, 7]));
    project.close();
  });

  it('that cannot be sent are offered again', async () => {
    const project = await opened();
    server.down = true;
    expect(await project.keep(set(2, 2))).toBe(false);
    expect(project.notice?.text).toContain('cannot be reached');
    server.down = false;
    project.notice!.again!();
    await vi.waitFor(() => expect(at(project.scene!)).toEqual([2, 2]));
    project.close();
  });
});
