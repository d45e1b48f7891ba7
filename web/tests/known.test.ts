import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Answer } from '../src/lib/api/client';
import { arrays } from '../src/lib/arrays';
import { after, type Known } from '../src/project/known';

vi.hoisted(() => vi.stubGlobal('window', { location: { origin: 'http://lantern.test' } }));
const POINTS = [0, 0, 0, 1, 0, 0, 0, 1, 0];
/** A triangle as the server packs it: points, triangles, wire. */
function packed(): ArrayBuffer {
  const out = new DataView(new ArrayBuffer(12 * 3 + 12 + 24));
  POINTS.forEach((v, i) => out.setFloat32(4 * i, v, true));
  [0, 1, 2, 0, 1, 1, 2, 2, 0].forEach((v, i) => out.setUint32(36 + 4 * i, v, true));
  return out.buffer;
}
const asText = (bytes: ArrayBuffer) => btoa(String.fromCharCode(...new Uint8Array(bytes)));
const shape = (id: string, digest: string, x = 0) => ({
  id,
  frame: [1, 0, 0, x, 0, 1, 0, 0, 0, 0, 1, 0],
  mesh: { digest, points: 3, triangles: 1, wire: 3 },
  handles: [],
});
const box = (id: string, x = 0) => ({ id, kind: 'box', name: id, x });

function answer(more: Record<string, unknown>): Answer {
  return {
    id: 1,
    base: 0,
    revision: 1,
    changed: {},
    gone: [],
    order: {},
    follows: {},
    arrays: {},
    ...more,
  } as unknown as Answer;
}
const WHOLE = answer({
  base: null,
  revision: 0,
  changed: { name: 'Quay', sighting: {}, proxies: [box('box-1'), box('box-2')] },
  order: { proxies: ['box-1', 'box-2'] },
  follows: {
    reading: { verdict: 'True' },
    shapes: [shape('box-1', 'same'), shape('box-2', 'same', 5)],
  },
  arrays: { same: asText(packed()) },
});

let known: Known;
beforeEach(async () => {
  await arrays.bring(WHOLE);
  known = after(null, WHOLE);
});

describe('what is known of a project', () => {
  it('takes on parts of any kind, in their order, and lets them go', () => {
    const gates = (state: Known) =>
      (state.scene as unknown as { gates: { id: string; wide: number }[] }).gates;
    const two = after(
      known,
      answer({
        changed: { gates: [{ id: 'gate-7', wide: 2 }, { id: 'gate-8', wide: 3 }], latch: { at: 1 } }, // prettier-ignore
        order: { gates: ['gate-8', 'gate-7'] },
      }),
    );
    expect(gates(two).map((g) => g.id)).toEqual(['gate-8', 'gate-7']);
    expect(two.scene).toMatchObject({ latch: { at: 1 }, name: 'Quay' });
    expect(two.scene.proxies).toBe(known.scene.proxies);
    const one = after(
      two,
      answer({
        changed: { gates: [{ id: 'gate-7', wide: 9 }] },
        order: { gates: ['gate-7'] },
        gone: ['gates/gate-8', 'latch'],
      }),
    );
    expect(gates(one)).toEqual([{ id: 'gate-7', wide: 9 }]);
    expect(one.scene).toMatchObject({ latch: null });
    expect(gates(two)).toHaveLength(2);
  });

  it('has the meshes that came with the answer, one object for one digest', () => {
    const [a, b] = [...known.shapes.values()];
    expect([...a.mesh.points]).toEqual(POINTS);
    expect([...a.mesh.wire]).toEqual([0, 1, 1, 2, 2, 0]);
    expect(b.mesh).toBe(a.mesh);
  });

  it('stays the very same object where an answer does not name it', () => {
    const moved = after(known, answer({ changed: { proxies: [box('box-2', 9)] } }));
    expect(moved.scene.proxies[0]).toBe(known.scene.proxies[0]);
    expect(moved.scene.proxies[1]).toMatchObject({ x: 9 });
    expect(moved.scene.sighting).toBe(known.scene.sighting);
    expect(moved.shapes).toBe(known.shapes);
    expect(moved.reading).toBe(known.reading);
    expect(after(known, answer({})).scene).toBe(known.scene);
  });

  it('loses what is gone, and keeps the order that the scene has', () => {
    const more = answer({
      changed: { proxies: [box('box-3')], built_on: {} },
      gone: ['proxies/box-1'],
      order: { proxies: ['box-3', 'box-2'] },
    });
    const next = after(known, more);
    expect(next.scene.proxies.map((p) => p.id)).toEqual(['box-3', 'box-2']);
    expect([...next.shapes.keys()]).toEqual(['box-2']);
    expect(next.scene.built_on).not.toBeNull();
    const back = after(next, answer({ gone: ['built_on', 'shapes', 'shot'] }));
    expect(back.scene.built_on).toBeNull();
    expect(back.shapes.size).toBe(0);
    expect(back.shot).toBeNull();
  });
});

describe('arrays', () => {
  it('that do not come along are fetched, once', async () => {
    const fetch = vi.fn(async () => new Response(packed()));
    vi.stubGlobal('window', { location: { origin: 'http://lantern.test' } });
    vi.stubGlobal('fetch', fetch);
    const more = answer({ follows: { shapes: [shape('box-1', 'far'), shape('box-2', 'far')] } });
    await arrays.bring(more);
    await arrays.bring(more);
    expect(fetch).toHaveBeenCalledTimes(1);
    expect([...after(known, more).shapes.get('box-1')!.mesh.points]).toEqual(POINTS);
    vi.unstubAllGlobals();
  });
});
