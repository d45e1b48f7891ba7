/** In Cast a press selects a proxy, or means a face or a patch; dragging pans and turns the views. */
import { api } from '../../lib/api/client';
import { project } from '../../project/project.svelte';
import { selection } from '../../project/selection.svelte';
import { borrowing } from './borrow.svelte';
import { ringed } from './ringed.svelte';
import { show } from './show.svelte';
import type { Hand, WalkHand } from '../../views/hand';

/** What a press on a face is meant for: it gets a row of its own in the sheet, with what its proxy
 *  takes, or a lantern that sees it square on. */
async function takeFace(at: readonly [number, number], as: 'row' | 'flat') {
  const state = project.state;
  if (!state) return;
  const { data } = await api
    .POST('/api/projects/{id}/under', {
      params: { path: { id: state.id } },
      body: { base: state.revision, at: [at[0], at[1]], within: 0 },
    })
    .catch(() => ({ data: undefined }));
  show.faces = null;
  if (!data?.proxy || data.face == null) {
    project.say('There is no face there.');
    return;
  }
  const { proxy, face } = data;
  selection.choose('proxy', proxy);
  if (as === 'flat') {
    if (await project.keep({ verb: 'AddFlat', proxy, face }))
      selection.choose('lantern', project.scene!.lanterns.at(-1)!.id);
    return;
  }
  const lanterns = [...(state.takes.get(proxy)?.lanterns ?? [])];
  await project.keep({ verb: 'CastOn', rows: [{ proxy, face, lanterns }], cleared: [] });
}

function select(body: string | null) {
  if (body) selection.choose('proxy', body);
  else selection.clear();
  return false;
}
const nothing = () => undefined;
const letGo = () => {
  if (borrowing.outline.length) borrowing.clear();
  else borrowing.lantern = null;
  ringed.drawing = false;
  ringed.clear();
  show.faces = null;
};

export const castHand: Hand = {
  loupe: null,
  get zoom() {
    return borrowing.zoom;
  },
  set zoom(zoom) {
    borrowing.zoom = ringed.zoom = zoom;
  },
  down: (at, _grip, body) => {
    if (borrowing.lantern && !show.shot) {
      borrowing.down([at[0], at[1]]);
      return true;
    }
    if (ringed.drawing && !show.shot) {
      ringed.down([at[0], at[1]]);
      return true;
    }
    if (!show.faces) return select(body());
    void takeFace(at, show.faces);
    return true;
  },
  move: (at, pressed) => {
    if (pressed && borrowing.lantern) borrowing.move(at);
    else if (pressed && ringed.drawing) ringed.move(at);
  },
  up: (at) => {
    if (borrowing.lantern) void borrowing.up(at);
    else if (ringed.drawing) ringed.up(at);
  },
  missed: nothing,
  cancel: letGo,
  abandon: () => {
    borrowing.clear();
    if (ringed.drawing) ringed.clear();
  },
  key: nothing,
};

export const castWalkHand: WalkHand = {
  down: (_ray, body) => select(body),
  move: nothing,
  up: nothing,
  abandon: nothing,
};
