/** Move: the shot camera in time. */
import { maps } from '../../project/maps.svelte';
import { project } from '../../project/project.svelte';
import { tool } from '../../project/tool.svelte';
import type { Hand } from '../../views/hand';
import type { Station } from '../../views/station';
import { drawsShot, inTime } from '../drawn';
import Strip from '../shot/TimeStrip.svelte';
import { guides } from './guides.svelte';
import { limits } from './limits.svelte';
import Overlay from './Overlay.svelte';
import { READY } from './ready';
import { chosen, PICKING } from './ready/chosen.svelte';
import { moveHand, steering } from './steering.svelte';
import Tray from './Tray.svelte';
import { moveWalkHand, walkLines } from './walk';

/** While a place is to be picked a press picks it; else it steers. */
const hand: Hand = {
  ...moveHand,
  down: (at, grip, body, seen) => {
    if (tool.name !== PICKING) return moveHand.down(at, grip, body, seen);
    const now = seen?.();
    if (now) chosen.take(now);
    return true;
  },
};

const settled = () => (project.reading?.settled ? null : 'There is no camera yet: sight it first.');
const moves = () => (project.keys.length ? null : 'There is no move yet.');

export const move: Station = {
  name: 'move',
  title: 'Move',
  lit: () => {
    const keys = project.keys.length;
    return keys > 1 ? 'lit' : keys ? 'part' : 'dark';
  },
  Tray,
  Strip,
  Overlay,
  hand,
  chips: () => maps.chips,
  verbs: () => [
    {
      words: 'a key at this frame',
      key: 'K',
      on: ['k'],
      run: () => void steering.key(),
      needs: settled,
    },
    {
      words: 'what is steered is keyed at once, or only looked at',
      key: 'J',
      on: ['j'],
      run: () => (steering.keys = !steering.keys),
    },
    { words: 'steer: look round; with Shift truck and rise, with Alt go round', key: 'drag' },
    { words: 'steer: push at what is under the pointer', key: 'wheel' },
    { words: 'steer by steps, with Shift finely, in the shot view', key: 'arrows, Page ↑↓' },
    ...inTime(),
    ...READY.map((one) => ({
      words: `ready move: ${one.title.toLowerCase()}`,
      needs: settled,
      run: () => {
        chosen.verb = one.verb;
        void project.keep(chosen.change);
      },
    })),
    {
      words: 'keep the move within what stands up',
      needs: moves,
      run: () => void project.keep(limits.within('less')),
    },
    {
      words: 'slow the move down to what stands up',
      needs: moves,
      run: () => void project.keep(limits.within('slower')),
    },
    { words: 'guides over the shot', run: () => (guides.on = !guides.on) },
    {
      words: 'deliver an upright frame, 1080 × 1920',
      needs: settled,
      run: () => void project.keep({ verb: 'CutTo', width: 1080, height: 1920, overscan: 0 }),
    },
  ],
  walkHand: moveWalkHand,
  draws: () => ({ ...drawsShot(), lines: walkLines() }),
};
