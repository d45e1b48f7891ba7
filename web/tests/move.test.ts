import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { CameraReading } from '../src/lib/api/client';
import { frameOf, timecode } from '../src/project/timecode';
import { cropOf } from '../src/stations/shot/crop';
import { peek, swung } from '../src/views/peek.svelte';
import { project as seen } from '../src/views/camera';
import type { Seen } from '../src/views/hand';

const camera: CameraReading = {
  width: 1000,
  height: 800,
  focal_px: 900,
  cx: 500,
  cy: 400,
  position: [0, 1.6, 2],
  rotation: [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
} as CameraReading;

describe('moments that are typed', () => {
  it('are frames, seconds or timecode', () => {
    expect(frameOf('48', 24)).toBe(48);
    expect(frameOf('1048', 24, 1001)).toBe(47);
    expect(frameOf('2 s', 24)).toBe(48);
    expect(frameOf('2.5s', 24)).toBe(60);
    expect(frameOf('2,5 s', 24)).toBe(60);
    expect(frameOf('00:02:12', 24)).toBe(60);
    expect(frameOf('01:00:00:00', 25)).toBe(90000);
    expect(frameOf('soon', 24)).toBeNull();
    expect(frameOf('', 24)).toBeNull();
  });

  it('are read as they are typed, at any rate', () => {
    for (const fps of [24, 25, 29.97, 60])
      for (const frame of [0, 1, 59, 1440, 100_000])
        expect(frameOf(timecode(frame, fps), fps)).toBe(frame);
  });
});

describe('the delivered part of the picture', () => {
  it('is the largest of its shape, about a place as far as the picture reaches', () => {
    const frame = { width: 1080, height: 1920, overscan: 0, at: [0.5, 0.5] as [number, number] };
    expect(cropOf(1920, 1280, null)).toEqual([0, 0, 1920, 1280]);
    expect(cropOf(1920, 1280, frame)).toEqual([600, 0, 720, 1280]);
    expect(cropOf(1920, 1280, { ...frame, at: [0, 0.5] })).toEqual([0, 0, 720, 1280]);
    expect(cropOf(1920, 1280, { ...frame, at: [1, 0.5] })).toEqual([1200, 0, 720, 1280]);
    const wide = cropOf(1920, 1280, { ...frame, width: 1920, height: 800, at: [0.5, 0.25] });
    expect(wide).toEqual([0, 0, 1920, 800]);
  });
});

describe('peek', () => {
  const about: [number, number, number] = [0.4, 0.8, -3];

  it('is the very same camera before it swings and after it', () => {
    expect(swung(camera, { about, aside: 0, up: 0 })).toBe(camera);
    peek.begin(about, [100, 100]);
    peek.move([300, 50]);
    expect(peek.at).toMatchObject({ aside: 12, up: -3 });
    peek.move([5000, 100]);
    expect(peek.at!.aside).toBe(24);
    peek.end();
    expect(peek.at).toBeNull();
    peek.move([200, 200]);
    expect(peek.at).toBeNull();
  });

  it('keeps what it swings about where it is, and its distance', () => {
    const before = seen(camera, about)!;
    for (const [aside, up] of [
      [10, 0],
      [-20, 8],
      [3, -12],
    ]) {
      const there = swung(camera, { about, aside, up });
      const after = seen(there, about)!;
      expect(after[0]).toBeCloseTo(before[0], 6);
      expect(after[1]).toBeCloseTo(before[1], 6);
      const far = (p: readonly number[]) => Math.hypot(...about.map((v, i) => v - p[i]));
      expect(far(there.position)).toBeCloseTo(far(camera.position), 9);
    }
  });
});

describe('steering', () => {
  beforeEach(() => {
    vi.resetModules();
    vi.stubGlobal('window', { location: { origin: 'http://lantern.test' } });
    vi.stubGlobal('document', { hidden: false });
  });

  async function steer() {
    const { project } = await import('../src/project/project.svelte');
    const { moveHand, steering, modifiers } = await import('../src/stations/move/steering.svelte');
    const asked = { tries: [] as unknown[], kept: [] as unknown[], dropped: 0 };
    vi.spyOn(project, 'reading', 'get').mockReturnValue({ settled: true, camera } as never);
    vi.spyOn(project, 'try').mockImplementation((c) => void asked.tries.push(c));
    vi.spyOn(project, 'drop').mockImplementation(() => void asked.dropped++);
    vi.spyOn(project, 'keep').mockImplementation(async (c) => {
      asked.kept.push(c);
      return true;
    });
    const at: Seen = { camera, zoom: 1, ray: [0, 0, -1], place: [0, 1.6, -8] };
    return { moveHand, steering, modifiers, asked, at };
  }
  const stepOf = (change: unknown) => (change as { steps: Record<string, number>[] }).steps.at(-1)!;

  it('keeps what is held under the pointer while it looks round', async () => {
    const { moveHand, asked, at } = await steer();
    moveHand.down(
      [500, 400],
      null,
      () => null,
      () => at,
    );
    moveHand.move([700, 300], true);
    moveHand.up([700, 300]);
    const { turn_deg, tilt_deg } = stepOf(asked.kept[0]);
    expect(turn_deg).toBeCloseTo((-Math.atan2(200, 900) * 180) / Math.PI, 6);
    expect(tilt_deg).toBeCloseTo((-Math.atan2(100, 900) * 180) / Math.PI, 6);
    expect(asked.tries).toHaveLength(1);
  });

  it('trucks as far as what is held is away', async () => {
    const { moveHand, modifiers, asked, at } = await steer();
    modifiers.Shift = true;
    moveHand.down(
      [500, 400],
      null,
      () => null,
      () => at,
    );
    moveHand.up([590, 400]);
    modifiers.Shift = false;
    expect(stepOf(asked.kept[0]).right_m).toBeCloseTo(-1, 6);
  });

  it('is only looked at until it is keyed, where that is asked, and is gone when forgotten', async () => {
    const { moveHand, steering, asked, at } = await steer();
    steering.keys = false;
    for (const to of [600, 650]) {
      moveHand.down(
        [500, 400],
        null,
        () => null,
        () => at,
      );
      moveHand.up([to, 400]);
    }
    expect(asked.kept).toHaveLength(0);
    expect(steering.pending).toHaveLength(2);
    await steering.key();
    expect((asked.kept[0] as { steps: unknown[] }).steps).toHaveLength(2);
    moveHand.down(
      [500, 400],
      null,
      () => null,
      () => at,
    );
    moveHand.up([600, 400]);
    steering.forget();
    expect(steering.pending).toHaveLength(0);
    expect(asked.dropped).toBeGreaterThan(0);
    expect(asked.kept).toHaveLength(1);
  });

  it('leaves all as it was where a press does not move, or is taken away', async () => {
    const { moveHand, asked, at } = await steer();
    moveHand.down(
      [500, 400],
      null,
      () => null,
      () => at,
    );
    moveHand.up([501, 400]);
    moveHand.down(
      [500, 400],
      null,
      () => null,
      () => at,
    );
    moveHand.move([700, 400], true);
    moveHand.abandon();
    moveHand.up([700, 400]);
    expect(asked.kept).toHaveLength(0);
    expect(asked.dropped).toBeGreaterThan(0);
  });
});
