/** Block: proxies stood where the picture says, and worked until they fit. */
import { project } from '../../project/project.svelte';
import { selection } from '../../project/selection.svelte';
import { tool } from '../../project/tool.svelte';
import type { Layer, Station } from '../../views/station';
import { blockHand } from './hand.svelte';
import { SWINGING } from './hinge.svelte';
import { marbles } from './marbles.svelte';
import { STANDING } from './stand';
import Overlay from './Overlay.svelte';
import { parts } from './parts.svelte';
import { inWords, underPointer } from './pointed.svelte';
import { copy, duplicate, paste, remove, sameKind } from './selected';
import { LOOKS, show } from './show.svelte';
import Tray from './Tray.svelte';
import { blockWalkHand } from './walk.svelte';

/** What a look draws: the picture, the wires, shaded faces; and the marbles. */
function drawn(): Layer[] {
  const faces = { through: show.through, backs: show.backs };
  const out: Layer[] = [];
  if (show.look === 'picture' || show.look === 'both') out.push({ of: 'cast', ...faces });
  if (show.look === 'shaded') out.push({ of: 'shade', ...faces });
  if (show.look !== 'picture') out.push({ of: 'wire' });
  if (marbles.now) out.push({ of: 'marbles', marbles: marbles.now });
  return out;
}

function nextLook() {
  const names = LOOKS.map(([name]) => name);
  show.look = names[(names.indexOf(show.look) + 1) % names.length];
}

const chosen = () =>
  selection.all('proxy').length || parts.now
    ? null
    : 'Nothing is selected. Press a proxy in a view or in the list first.';

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
  verbs: () => [
    ...STANDING.map(({ words, key, run, needs }) => ({
      words,
      key,
      on: key ? [key] : undefined,
      run,
      needs,
    })),
    {
      words: 'take faces, edges and corners, and whole proxies again',
      key: 'P',
      on: ['p'],
      run: () => {
        show.parts = !show.parts;
        tool.putDown();
      },
    },
    { words: 'held while pressing: one more, or a sweep over several', key: 'Shift' },
    {
      words: 'delete what is selected; a face is taken off',
      key: 'Del',
      on: ['Delete'],
      run: remove,
      needs: chosen,
    },
    { words: '', on: ['Backspace'], run: () => !blockHand.picking && remove() }, // else it takes the last pick back
    { words: 'a copy of it here', key: 'Ctrl D', on: ['$mod+d'], run: duplicate, needs: chosen },
    { words: 'copy, for any project', key: 'Ctrl C', on: ['$mod+c'], run: copy, needs: chosen },
    { words: 'paste', key: 'Ctrl V', on: ['$mod+v'], run: () => void paste() },
    {
      words: 'take all proxies',
      key: 'Ctrl A',
      on: ['$mod+a'],
      run: () => selection.chooseAll('proxy', project.scene?.proxies.map((p) => p.id) ?? []),
    },
    { words: 'everything of the same kind', key: 'K', on: ['k'], run: sameKind, needs: chosen },
    {
      words: 'out of sight, and back',
      key: 'O',
      on: ['o'],
      needs: chosen,
      run: () => {
        const hidden = project.scene?.proxies.filter((p) => selection.has('proxy', p.id));
        if (hidden?.length)
          void project.keep({
            verb: 'AlterProxies',
            proxies: hidden.map((p) => p.id),
            to: { hidden: !hidden[0].hidden } as never,
          });
      },
    },
    {
      words: 'turn it on its edge by hand',
      run: () => tool.choose(SWINGING, true),
      needs: chosen,
    },
    { words: 'wire, picture, both, shaded', key: 'L', on: ['l'], run: nextLook },
    { words: 'stand it with the usual height; close an outline', key: 'Enter' },
    { words: 'take an outline’s last point back', key: 'Backspace' },
    {
      words: 'while an outline is traced: the next points lie on a curve, and corners again',
      key: 'C',
    },
    { words: 'held while picking: along no heading, onto no edge', key: 'Shift' },
  ],
  draws: () => ({
    layers: [{ of: 'plate' }, ...drawn()],
    walk: drawn(),
    shot: false,
    only: show.solo,
    slid: blockHand.slid ?? blockWalkHand.slid,
    says: blockHand.picking || show.parts ? inWords(underPointer.found) : marbles.words,
  }),
};
