import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Change } from '../src/lib/api/client';
import type { Known } from '../src/project/known';
import type { Make } from '../src/project/project.svelte';
import type { Point } from '../src/views/camera';

/** A project that writes down what it is asked, and takes everything. */
async function hands() {
  vi.resetModules();
  const { project } = await import('../src/project/project.svelte');
  const scene = {
    plate: { width: 1000, height: 800 },
    sighting: {
      traces: [
        {
          id: 'trace-0',
          heading: 'up',
          points: [
            [100, 100],
            [100, 400],
          ] as Point[],
        },
      ],
      tapes: [
        {
          id: 'tape-1',
          points: [
            [200, 500],
            [300, 500],
          ] as Point[],
          length_m: 1,
          on: 'ground',
        },
      ],
      rectangles: [],
    },
    proxies: [] as { id: string }[],
  };
  const asked = { tries: [] as Change[], kept: [] as Change[], dropped: 0 };
  vi.spyOn(project, 'scene', 'get').mockReturnValue(scene as never);
  vi.spyOn(project, 'reading', 'get').mockReturnValue(null);
  vi.spyOn(project, 'try').mockImplementation((c) => void asked.tries.push(c as Change));
  vi.spyOn(project, 'drop').mockImplementation(() => void asked.dropped++);
  vi.spyOn(project, 'keep').mockImplementation(async (c: Make) => {
    const change = typeof c === 'function' ? c(scene as never, { scene } as unknown as Known) : c;
    if (change) asked.kept.push(change);
    return true;
  });
  const { tool } = await import('../src/project/tool.svelte');
  const { selection } = await import('../src/project/selection.svelte');
  const { sightHand } = await import('../src/stations/sight/hand.svelte');
  const { blockHand } = await import('../src/stations/block/hand.svelte');
  const { drawing } = await import('../src/stations/sight/drawing.svelte');
  return { scene, asked, tool, selection, sightHand, blockHand, drawing };
}

beforeEach(() => {
  vi.stubGlobal('window', { location: { origin: 'http://lantern.test' } });
  vi.stubGlobal('document', { hidden: false });
});

describe('the hand in Sight', () => {
  it('draws by one drag or by two clicks, and looks for the edge within reach on screen', async () => {
    const { sightHand, tool, asked, drawing } = await hands();
    drawing.heading = 'away';
    tool.name = 'trace';
    sightHand.zoom = 0.5;
    sightHand.down([10, 10], null);
    sightHand.move([300, 200], true);
    sightHand.up([300, 200]);
    expect(asked.kept.at(-1)).toEqual({
      verb: 'DrawTrace', heading: 'away', reach: 8, by_direction: false,
      points: [[10, 10], [300, 200]],
    }); // prettier-ignore
    sightHand.down([50, 60], null);
    sightHand.up([51, 60]); // a click: the other end follows by a second one
    expect(asked.kept).toHaveLength(1);
    sightHand.move([400, 90], false);
    sightHand.down([1400, 90], null); // past the plate, so on its rim
    expect(asked.kept.at(-1)).toMatchObject({
      points: [
        [50, 60],
        [1000, 90],
      ],
    });
  });

  it('holds a trace off the edge while its key is down', async () => {
    const { sightHand, tool, asked } = await hands();
    tool.name = 'trace';
    sightHand.key('Shift', true);
    sightHand.down([10, 10], null);
    sightHand.up([300, 200]);
    expect(asked.kept.at(-1)).toMatchObject({ verb: 'AddTrace', heading: 'across' });
  });

  it('moves the end that it took, and only selects by a press that went nowhere', async () => {
    const { sightHand, selection, asked } = await hands();
    sightHand.key('Shift', true);
    sightHand.down([100, 400], 'trace|trace-0|1');
    sightHand.up([100, 400]);
    expect(asked.kept).toEqual([]);
    expect(selection.only).toEqual({ kind: 'trace', id: 'trace-0', part: 1 });
    sightHand.down([100, 400], 'trace|trace-0|1');
    sightHand.move([120, 420], true);
    sightHand.up([120, 420]);
    expect(asked.kept).toEqual([
      { verb: 'MoveTraceEnd', trace: 'trace-0', end: 1, to: [120, 420] },
    ]);
  });

  it('goes back to how things were when a press is taken away', async () => {
    const { sightHand, selection, asked } = await hands();
    selection.choose('tape', 'tape-1');
    sightHand.down([100, 100], 'trace|trace-0|0');
    sightHand.move([500, 500], true);
    sightHand.abandon();
    expect(sightHand.held).toBeNull();
    expect(selection.one('tape')).toBe('tape-1');
    expect([asked.kept, asked.dropped]).toEqual([[], 1]);
  });

  it('makes one change of a key that is held down', async () => {
    const { sightHand, selection, asked, scene } = await hands();
    const { project } = await import('../src/project/project.svelte');
    let run = () => {};
    vi.spyOn(project, 'keep').mockImplementation((c: Make) => {
      run = () => void asked.kept.push((c as (s: unknown) => Change)(scene));
      return Promise.resolve(true);
    });
    selection.choose('trace', 'trace-0', 0);
    for (let i = 0; i < 5; i++) sightHand.nudge(0.1, 0);
    run();
    expect(asked.kept).toHaveLength(1);
    const [a, b] = (asked.kept[0] as unknown as { points: Point[] }).points;
    expect(a[0]).toBeCloseTo(100.5);
    expect(b).toEqual([100, 400]);
  });
});

describe('the hand in Block', () => {
  it('stands a box of three feet and a top, pick by pick', async () => {
    const { blockHand, tool, asked } = await hands();
    tool.name = 'box';
    for (const at of [
      [100, 700],
      [300, 710],
      [360, 650],
    ] as Point[])
      blockHand.down(at, null, () => null);
    expect(asked.kept).toEqual([]);
    blockHand.move([100, 500], false);
    expect(asked.tries.at(-1)).toMatchObject({ verb: 'Stand', kind: 'box', top: [100, 500] });
    blockHand.down([100, 500], null, () => null);
    expect(asked.kept).toEqual([
      {
        verb: 'Stand',
        kind: 'box',
        top: [100, 500],
        feet: [
          [100, 700],
          [300, 710],
          [360, 650],
        ],
        along: null,
      },
    ]);
    expect(tool.name).toBe('none');
  });

  it('takes two picks from one drag, and stands with the usual height on Enter', async () => {
    const { blockHand, tool, asked } = await hands();
    tool.name = 'card';
    blockHand.down([100, 700], null, () => null);
    blockHand.up([300, 700]);
    expect(blockHand.picks).toHaveLength(2);
    blockHand.key('Enter', true);
    expect(asked.kept.at(-1)).toMatchObject({ verb: 'Stand', kind: 'card', top: null });
  });

  it('names the gesture by the handle it took', async () => {
    const { blockHand, asked } = await hands();
    const to: Point = [150, 640];
    for (const [role, verb] of [
      ['foot', 'Slide'],
      ['top', 'Raise'],
      ['turn', 'Swing'],
      ['corner-2', 'PullCorner'],
    ]) {
      blockHand.down([100, 600], `box-3|${role}`, () => null);
      blockHand.move(to, true);
      blockHand.up(to);
      await Promise.resolve();
      expect(asked.kept.at(-1)).toMatchObject({ verb, proxy: 'box-3' });
    }
    expect(asked.kept.at(-1)).toMatchObject({ corner: 2, to });
    blockHand.down([100, 600], 'box-3|top', () => null);
    blockHand.up([100.2, 600]); // a press that went nowhere
    expect(asked.kept).toHaveLength(4);
  });

  const pick = async (hand: Awaited<ReturnType<typeof hands>>['blockHand'], places: Point[]) => {
    for (const at of places) hand.down(at, null, () => null);
  };

  it('closes an outline on its first point, with curves where they were asked for', async () => {
    const { blockHand, tool, asked } = await hands();
    const { show } = await import('../src/stations/block/show.svelte');
    show.onEdges = false;
    tool.name = 'outline';
    await pick(blockHand, [
      [100, 700],
      [300, 700],
    ]);
    blockHand.key('c', true);
    await pick(blockHand, [[320, 500]]);
    blockHand.key('c', true);
    await pick(blockHand, [
      [110, 500],
      [103, 702],
    ]);
    expect(asked.kept).toHaveLength(1);
    expect(asked.kept[0]).toMatchObject({ verb: 'CutOutline', curved: [2] });
    expect((asked.kept[0] as { outline: Point[] }).outline).toHaveLength(4);
    // on edges, it pulls; with Shift held it does not
    show.onEdges = true;
    tool.name = 'outline';
    await pick(blockHand, [
      [100, 700],
      [300, 700],
      [300, 500],
    ]);
    blockHand.accept();
    expect(asked.kept.at(-1)).toMatchObject({ verb: 'TraceOutline', reach: 7 });
  });

  it('grows an outline only from clicks, never while the pointer moves', async () => {
    const { blockHand, tool, asked } = await hands();
    tool.name = 'grow';
    await pick(blockHand, [
      [100, 700],
      [300, 700],
      [200, 600],
    ]);
    const tries = asked.tries.length;
    blockHand.move([220, 640], false);
    expect(asked.tries).toHaveLength(tries);
    blockHand.key('Shift', true);
    await pick(blockHand, [[400, 300]]);
    blockHand.key('Shift', false);
    blockHand.key('Enter', true);
    expect(asked.kept.at(-1)).toMatchObject({
      verb: 'GrowOutline',
      inside: [[200, 600]],
      beside: [[400, 300]],
    });
  });

  it('pulls a part though the answer comes after the hand has let go', async () => {
    const { blockHand, asked, selection } = await hands();
    const { show } = await import('../src/stations/block/show.svelte');
    const { underPointer } = await import('../src/stations/block/pointed.svelte');
    let tell: (found: unknown) => void = () => undefined;
    vi.spyOn(underPointer, 'ask').mockReturnValue(new Promise((done) => (tell = done as never)));
    [show.parts, show.along] = [true, 'auto'];
    blockHand.down([100, 600], null, () => 'box-3');
    blockHand.move([140, 610], true);
    blockHand.up([160, 620]);
    expect(asked.kept).toEqual([]);
    tell({ proxy: 'box-3', face: 2, part: { face: 2 }, lines: [], name: 'b', distance: 1 });
    await vi.waitFor(() => expect(asked.kept).toHaveLength(1));
    expect(asked.kept[0]).toEqual({
      verb: 'PushFace', proxy: 'box-3', face: 2, start: [100, 600], end: [160, 620],
    }); // prettier-ignore
    expect(selection.one('proxy')).toBe('box-3');
    // a press that does not go anywhere only selects
    blockHand.down([100, 600], null, () => 'box-3');
    tell({ proxy: 'box-3', face: 2, part: { corner: 5 }, lines: [], name: 'b', distance: 1 });
    blockHand.up([100, 600]);
    await Promise.resolve();
    expect(asked.kept).toHaveLength(1);
  });

  it('takes one more with Shift, and carries a cut over to what is selected', async () => {
    const { blockHand, asked, selection, tool } = await hands();
    blockHand.down([1, 1], null, () => 'box-3');
    blockHand.up([1, 1]);
    blockHand.key('Shift', true);
    blockHand.down([2, 2], null, () => 'box-4');
    blockHand.up([2, 2]);
    blockHand.key('Shift', false);
    expect(selection.all('proxy')).toEqual(['box-3', 'box-4']);
    selection.choose('proxy', 'box-3');
    tool.choose('cut away', true);
    await pick(blockHand, [
      [100, 700],
      [300, 700],
      [200, 600],
    ]);
    expect(asked.kept.at(-1)).toMatchObject({ verb: 'Cut', proxy: 'box-3', drop: [200, 600] });
  });
});
