import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { Change, Scene } from '../src/lib/api/client';

/** A server of one project whose scene is a pair of numbers, slow to answer. */
class Server {
  revisions: { parent: number | null; at: [number, number] }[] = [{ parent: null, at: [0, 0] }];
  head = 0;
  sent: { base: number; change?: unknown }[] = [];
  down = false;

  state() {
    const { parent, at } = this.revisions[this.head];
    const more = this.revisions.some((r) => r.parent === this.head);
    return {
      id: 1,
      revision: this.head,
      scene: { sighting: { principal: at } },
      shown: { proxies: [], reading: null, shot: null },
      undo: parent === null ? null : 'Change',
      redo: more ? 'Change' : null,
    };
  }

  fetch = async (request: Request): Promise<Response> => {
    const path = new URL(request.url).pathname;
    const body = request.method === 'POST' ? await request.json() : null;
    await new Promise((done) => setTimeout(done, 20));
    if (this.down) throw new TypeError('unreachable');
    if (!body) return this.#say(this.state());
    this.sent.push(body);
    if (body.base !== this.head)
      return this.#say({ message: 'The project has changed.', since: ['Other'] }, 409);
    if (path.endsWith('/edits')) {
      if (body.change.principal[0] < 0) return this.#say({ message: 'Not there.' }, 422);
      this.revisions.push({ parent: this.head, at: body.change.principal });
      this.head = this.revisions.length - 1;
    } else if (path.endsWith('/undo')) this.head = this.revisions[this.head].parent!;
    return this.#say(this.state());
  };
  #say = (body: unknown, status = 200) => Response.json(body, { status });
}

const at = (s: Scene) => s.sighting!.principal as [number, number];
const set = (x: number, y: number): Change => ({ verb: 'SetPrincipal', principal: [x, y] });
const setX = (x: number) => (s: Scene) => set(x, at(s)[1]);
const setY = (y: number) => (s: Scene) => set(at(s)[0], y);

let server: Server;
async function opened() {
  const { project } = await import('../src/lib/project.svelte');
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
