/** How the next trace and the next tape are drawn. */
import type { Heading } from '../../lib/api/client';
import { desk } from '../../lib/desk.svelte';
import { project } from '../../lib/project.svelte';
import { selection } from '../../lib/selection.svelte';
import { tool } from '../../lib/tool.svelte';

/** The heading of the next trace, or that it takes the one it is drawn along. */
export type NextHeading = Heading | 'direction';
export type Laid = 'ground' | 'up' | 'proxy';

class Drawing {
  heading = $state<NextHeading>('across');
  laid = $state<Laid>('ground');

  /** Choose the heading for the next trace, or turn the selected one. */
  turn(heading: NextHeading) {
    const id = selection.one('trace');
    const chosen = project.scene?.sighting.traces?.find((t) => t.id === id);
    if (!chosen) {
      this.heading = heading;
      tool.name = 'trace';
    } else if (heading === 'direction')
      void project.keep({ verb: 'HeadByDirection', trace: chosen.id });
    else if (chosen.heading !== heading)
      void project.keep({ verb: 'SetHeading', trace: chosen.id, heading });
  }
}

export const drawing = new Drawing();
desk.lay('drawing', drawing, () => ({}), ['heading']);
