/** In Cast a press only selects a proxy; dragging pans and turns the views. */
import { api } from '../../lib/api/client';
import { project } from '../../lib/project.svelte';
import { selection } from '../../lib/selection.svelte';
import { show } from './show.svelte';
import type { Hand, WalkHand } from '../../views/hand';

/** In the sheet a face gets a row of its own, with what its proxy takes. */
async function rowForFace(at: readonly [number, number]) {
  const state = project.state;
  if (!state) return;
  const { data } = await api
    .POST('/api/projects/{id}/under', {
      params: { path: { id: state.id } },
      body: { base: state.revision, at: [at[0], at[1]], within: 0 },
    })
    .catch(() => ({ data: undefined }));
  show.faces = false;
  if (!data?.proxy || data.face == null) {
    project.say('There is no face there.');
    return;
  }
  const { proxy, face } = data;
  selection.choose('proxy', proxy);
  const lanterns = [...(state.takes.get(proxy)?.lanterns ?? [])];
  await project.keep({ verb: 'CastOn', rows: [{ proxy, face, lanterns }], cleared: [] });
}

function select(body: string | null) {
  if (body) selection.choose('proxy', body);
  else selection.clear();
  return false;
}
const nothing = () => undefined;

export const castHand: Hand = {
  loupe: null,
  zoom: 1,
  down: (at, _grip, body) => {
    if (!show.faces) return select(body());
    void rowForFace(at);
    return true;
  },
  move: nothing,
  up: nothing,
  missed: nothing,
  cancel: nothing,
  abandon: nothing,
  key: nothing,
};

export const castWalkHand: WalkHand = {
  down: (_ray, body) => select(body),
  move: nothing,
  up: nothing,
  abandon: nothing,
};
