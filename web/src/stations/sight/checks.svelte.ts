/** What the sighting is checked with, and what is shown of it over the plate. */
import { desk } from '../../lib/desk.svelte';
import { project } from '../../project/project.svelte';
import { onLevel, type Point } from '../../views/camera';
import { pictureAt } from '../../project/times';
import { colourOf } from '../../project/headings';
import type { Grid, Taken, TestBox } from '../../views/station';

/** The grid that the sighting is checked with: what it lies on, at what height or place. */
export interface Check {
  plane: Grid['plane'];
  level: number;
  spacing: number;
  box: [number, number, number];
  figure: number;
}

class Checks {
  edges = $state(true);
  grid = $state(true);
  horizon = $state(true);
  testBox = $state(false);
  figures = $state(false);
  overview = $state(false);
  opinions = $state(false);
  compared = $state<string | null>(null); // a kept sighting shown beside the one in use
  check = $state<Check>({ plane: 'ground', level: 0, spacing: 1, box: [1, 1, 1], figure: 1.75 });
  boxAt = $state<[number, number] | null>(null);
  /** The frame of the footage that is looked at; null for the still, which is one of them. */
  frame = $state<number | null>(null);

  /** What was taken at that frame; null where the still itself is looked at. */
  get taken(): Taken | null {
    const [camera, passed] = [project.reading?.camera, project.scene?.passed];
    const { playing } = project.scene!.plate;
    const shown = this.frame === null ? undefined : passed?.frames[this.frame];
    if (!shown || !camera || !playing) return null;
    const zoom = shown.focal_mm / passed!.frames[passed!.reference ?? 0].focal_mm;
    const { position, axes: rotation } = shown;
    const picture = pictureAt(playing, this.frame!, project.move!.fps!);
    return { camera: { ...camera, position, rotation, focal_px: zoom * camera.focal_px }, picture };
  }

  /** The level that the test box and the figures stand on. */
  get level() {
    return this.check.plane === 'ground' ? this.check.level : 0;
  }

  /** The test box stands where it was left, or on the datum. */
  get box(): TestBox | null {
    if (!this.testBox || !project.reading?.settled) return null;
    const [x, z] = this.boxAt ?? [0, 0];
    return { at: [x, this.level, z], size: this.check.box };
  }

  /** Take the test box to a place that is seen in the picture. */
  slideBox(to: Point) {
    const camera = project.reading?.camera;
    this.boxAt = (camera && onLevel(camera, to, this.check.level)) ?? this.boxAt;
  }

  get laidGrid(): Grid | null {
    const camera = project.reading?.camera;
    if (!camera || !this.grid) return null;
    const { plane, level, spacing } = this.check;
    if (plane !== 'ground')
      return { plane, at: [this.boxAt?.[0] ?? 0, 0, this.boxAt?.[1] ?? 0], spacing };
    const ahead = camera.rotation[2];
    const [x, , z] = camera.position;
    const far = Math.max(9, 5 * spacing);
    const bearings = (project.reading?.headings ?? []).flatMap((h) =>
      h.turn_deg == null ? [] : [{ turn: h.turn_deg, colour: colourOf(h.heading) }],
    );
    return { plane, at: [x - ahead[0] * far, level, z - ahead[2] * far], spacing, bearings };
  }
}

export const checks = new Checks();
desk.lay('checks', checks, () => ({ boxAt: null, compared: null, frame: null }), [
  'edges',
  'grid',
  'horizon',
  'testBox',
  'figures',
  'overview',
  'opinions',
  'check',
  'boxAt',
]);
