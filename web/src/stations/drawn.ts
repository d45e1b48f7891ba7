/** What more than one station wants drawn or said. */
import { playhead } from '../project/playhead.svelte';
import { project } from '../project/project.svelte';
import { dressAt } from '../project/times';
import { preview } from './shot/preview.svelte';
import { sideBySide } from './shot/sidebyside.svelte';
import type { Draws, Layer, Verb } from '../views/station';

/** Said while there is nothing that a picture could land on. */
export const nothingStands = () =>
  project.shapes.size ? null : 'Nothing stands here yet: block the place first.';

/** What stands in for the frame while there is no picture to throw: shaded faces over the ground. */
function blockingAlone(): Layer[] | null {
  const { scene } = project;
  const painted = scene?.lanterns.some((one) => one.plate) || scene?.guests.length;
  if (!scene?.plate.awaited || painted) return null;
  const ground: Layer = { of: 'grid', grid: { plane: 'ground', at: [0, 0, 0], spacing: 1 } };
  return [ground, { of: 'shade' }, { of: 'wire' }];
}

/** The frame as it will be, of one lantern only if it is named; the plate, while there is nothing to
 *  cast it on. */
export function drawsShot(lit: string | null = null): Draws {
  const dress = dressAt(project.dress, project.times, playhead.frame);
  const cast: Layer = { of: 'cast', lit };
  const look = dress?.look?.on_layers ? null : dress?.look;
  const shown: Layer = { ...cast, look };
  const alone = blockingAlone();
  return {
    layers: alone ?? [project.shapes.size ? shown : { of: 'plate' }],
    walk: alone ?? [cast],
    shot: true,
    dress,
  };
}

const unmoved = () => (project.keys.length ? null : 'There is no move yet.');

/** What can be done with the playhead, wherever the shot is looked at. */
export const inTime = (): Verb[] => [
  { words: 'play', key: 'Space', on: ['Space'], run: () => (playhead.playing = !playhead.playing) },
  { words: 'a frame on', key: '→', on: ['ArrowRight'], run: () => playhead.step(1) },
  { words: 'a frame back', key: '←', on: ['ArrowLeft'], run: () => playhead.step(-1) },
  {
    words: 'ten frames on',
    key: 'Shift →',
    on: ['Shift+ArrowRight'],
    run: () => playhead.step(10),
  },
  {
    words: 'ten frames back',
    key: 'Shift ←',
    on: ['Shift+ArrowLeft'],
    run: () => playhead.step(-10),
  },
  {
    words: 'the loop begins here, or not',
    run: () => playhead.mark('begin'),
  },
  { words: 'the loop ends here, or not', run: () => playhead.mark('end') },
  {
    words: 'preview: render the shot small, and play that; or not',
    key: 'R',
    on: ['r'],
    run: () => preview.toggle(),
    needs: unmoved,
  },
  {
    words: 'first, worst and last frame side by side',
    run: () => (sideBySide.open = true),
    needs: unmoved,
  },
  { words: 'the first frame', key: 'Home', on: ['Home'], run: () => (playhead.at = 0) },
  { words: 'the last frame', key: 'End', on: ['End'], run: () => playhead.step(1e6) },
];
