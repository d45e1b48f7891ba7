/** What can be stood, hung and raised: told once, for the tray, the keys and the palette. */
import type { Change } from '../../lib/api/client';
import { project } from '../../project/project.svelte';
import { selection } from '../../project/selection.svelte';
import { tool } from '../../project/tool.svelte';
import { blockHand } from './hand.svelte';
import { STOOD } from './kinds';

export interface Standing {
  label: string;
  words: string; // as a verb
  key?: string;
  tool?: string; // that it is stood with
  usual?: boolean; // in the tray's first row
  run: () => void;
  needs?: () => string | null;
}

const USUAL = ['floor', 'card', 'outline', 'box', 'room'];

function taking(name: string, label: string, words: string): Standing {
  const run = () => {
    blockHand.cancel();
    tool.choose(name);
  };
  return { label, words, tool: name, usual: USUAL.includes(name), run };
}

function hanging(label: string, words: string, change: Change): Standing {
  return { label, words, run: () => void project.keep(change) };
}

const raisable = () => {
  const one = project.scene?.proxies.find((p) => selection.has('proxy', p.id));
  return one && 'depth_m' in one ? one : null;
};

const KINDS = STOOD.map(({ kind, label }) => taking(kind, label, `stand: ${label.toLowerCase()}`));
export const STANDING: Standing[] = [
  ...[
    ...KINDS.filter((one) => one.usual),
    ...KINDS.filter((one) => !one.usual),
    taking('grow', 'Grow', 'stand: an outline grown from a few clicks on the thing'),
    taking('span', 'Span', 'stand: a surface between two lines of picked corners'),
  ].map((one, i) => ({ ...one, key: String(i + 1) })),
  hanging('Ground', 'lay the ground', { verb: 'LayGround' }),
  hanging('Backdrop', 'hang a backdrop', { verb: 'Hang', margin: 0.25 }),
  hanging('Dome', 'hang a dome', { verb: 'HangDome' }),
  {
    label: 'Wall',
    words: 'raise a wall from the far edge of the selected floor, box or room',
    run: () => void project.keep({ verb: 'RaiseWall', proxy: raisable()!.id, edge: 2 }),
    needs: () => (raisable() ? null : 'Select a floor, a box or a room first.'),
  },
];
