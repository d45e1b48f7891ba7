/** How the next trace and the next tape are drawn. */
import type { Heading } from '../../lib/api/client';
import { desk } from '../../lib/desk.svelte';
import { project } from '../../project/project.svelte';
import { selection } from '../../project/selection.svelte';
import { tool } from '../../project/tool.svelte';
import { freeLetter, waysOf } from '../../project/headings';

/** The heading of the next trace, or that it takes the one it is drawn along. */
export type NextHeading = Heading | 'direction';
export type Laid = 'ground' | 'up' | 'proxy';

class Drawing {
  heading = $state<NextHeading>('across');
  laid = $state<Laid>('ground');
  chosen = $state(false); // whether the heading was chosen by hand

  /** The headings and bearings there are, the one about to be drawn with them. */
  get ways(): Heading[] {
    const ways = waysOf(project.scene?.sighting.traces);
    const next = this.heading;
    return next === 'direction' || ways.includes(next) ? ways : [...ways, next];
  }

  /** The next bearing, and past the last one a new one. */
  nextBearing() {
    const bearings = this.ways.slice(3);
    const at = bearings.indexOf(this.heading);
    this.turn(bearings[at + 1] ?? freeLetter(this.ways));
  }

  /** Choose the heading for the next trace, or turn the selected one. */
  turn(heading: NextHeading) {
    const id = selection.one('trace');
    const chosen = project.scene?.sighting.traces?.find((t) => t.id === id);
    if (!chosen) {
      this.heading = heading;
      this.chosen = true;
      tool.name = 'trace';
    } else if (heading === 'direction')
      void project.keep({ verb: 'HeadByDirection', trace: chosen.id });
    else if (chosen.heading !== heading)
      void project.keep({ verb: 'SetHeading', trace: chosen.id, heading });
  }
}

export const drawing = new Drawing();
desk.lay('drawing', drawing, () => ({}), ['heading']);
