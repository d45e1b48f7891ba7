/** Block: proxies stood where the picture says, and worked until they fit. */
import { project } from '../../project/project.svelte';
import { selection } from '../../project/selection.svelte';
import { tool } from '../../project/tool.svelte';
import type { Station } from '../../views/station';
import { blockHand } from './hand.svelte';
import { marbles } from './marbles.svelte';
import Overlay from './Overlay.svelte';
import { inWords, underPointer } from './pointed.svelte';
import { copy, duplicate, paste, remove, sameKind } from './selected';
import { LOOKS, show } from './show.svelte';
import Tray from './Tray.svelte';
import { blockWalkHand } from './walk.svelte';

/** What a look draws: the picture, the wires, shaded faces. */
const drawn = () => ({
  cast: show.look === 'picture' || show.look === 'both',
  wire: show.look !== 'picture',
  shade: show.look === 'shaded',
  through: show.through,
  backs: show.backs,
});

function nextLook() {
  const names = LOOKS.map(([name]) => name);
  show.look = names[(names.indexOf(show.look) + 1) % names.length];
}

export const block: Station = {
  name: 'block',
  title: 'Block',
  lit: () => (project.scene?.proxies.length ? 'lit' : 'dark'),
  Tray,
  Overlay,
  hand: blockHand,
  walkHand: blockWalkHand,
  chips: () => [
    ...LOOKS.map(([name, label]) => ({
      label,
      on: show.look === name,
      press: () => (show.look = name),
    })),
    { label: 'Leaks', on: show.leaks, press: () => (show.leaks = !show.leaks) },
  ],
  keys: () => ({
    Delete: remove,
    Backspace: () => !blockHand.picking && remove(), // else it takes the last pick back
    '$mod+d': duplicate,
    '$mod+c': copy,
    '$mod+v': () => void paste(),
    '$mod+a': () => selection.chooseAll('proxy', project.scene?.proxies.map((p) => p.id) ?? []),
    k: sameKind,
    p: () => {
      show.parts = !show.parts;
      tool.putDown();
    },
    l: nextLook,
    o: () => {
      const hidden = project.scene?.proxies.filter((p) => selection.has('proxy', p.id));
      if (hidden?.length)
        void project.keep({
          verb: 'AlterProxies',
          proxies: hidden.map((p) => p.id),
          to: { hidden: !hidden[0].hidden } as never,
        });
    },
  }),
  sheet: [
    ['P', 'take faces, edges and corners, and whole proxies again'],
    ['Shift', 'held while pressing: one more, or a sweep over several'],
    ['Del', 'delete what is selected; a face is taken off'],
    ['Ctrl D', 'a copy of it here; Ctrl C and Ctrl V into any project'],
    ['K', 'everything of the same kind'],
    ['O', 'out of sight, and back'],
    ['L', 'wire, picture, both, shaded'],
    ['Enter', 'stand it with the usual height; close an outline'],
    ['Backspace', 'take an outline’s last point back'],
    ['C', 'while an outline is traced: the next points lie on a curve, and corners again'],
    ['Shift', 'held while picking: along no heading, onto no edge'],
  ],
  draws: () => ({
    plate: true,
    ...drawn(),
    walk: drawn(),
    shot: false,
    only: show.solo,
    marbles: marbles.now,
    slid: blockHand.slid ?? blockWalkHand.slid,
    says: blockHand.picking || show.parts ? inWords(underPointer.found) : marbles.words,
  }),
};
