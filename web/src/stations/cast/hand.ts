/** In Cast a press only selects a proxy; dragging pans and turns the views. */
import { selection } from '../../lib/selection.svelte';
import type { Hand, WalkHand } from '../../views/hand';

function select(body: string | null) {
  if (body) selection.choose('proxy', body);
  else selection.clear();
  return false;
}
const nothing = () => undefined;

export const castHand: Hand = {
  loupe: null,
  zoom: 1,
  down: (_at, _grip, body) => select(body()),
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
