/** The ready move that is being set up, and the place in the picture that it is about. */
import type { Pick } from '../../../lib/api/client';
import { desk } from '../../../lib/desk.svelte';
import { project } from '../../../project/project.svelte';
import { tool } from '../../../project/tool.svelte';
import type { Seen } from '../../../views/hand';
import { ask, type ReadyMove } from './kind';
import { READY } from './index';

export const PICKING = 'pick for the move';

class Chosen {
  verb = $state('Push');
  values = $state.raw<Record<string, number>>({});
  pick = $state.raw<Pick | null>(null);
  /** Where what was picked is, in the world. */
  place = $state.raw<[number, number, number] | null>(null);

  get move(): ReadyMove {
    return READY.find((one) => one.verb === this.verb) ?? READY[0];
  }
  value = (name: string) =>
    this.values[`${this.verb}.${name}`] ??
    this.move.fields.find((f) => f.name === name)?.usual ??
    0;
  set(name: string, value: number) {
    this.values = { ...this.values, [`${this.verb}.${name}`]: value };
  }
  get change() {
    const values = Object.fromEntries(this.move.fields.map((f) => [f.name, this.value(f.name)]));
    return ask(this.move, values, this.pick);
  }
  /** Take what is seen at a place of the shot's view. */
  take(seen: Seen) {
    tool.putDown();
    if (!seen.place) {
      project.say('Nothing stands there. Pick a place on something.', 'warning');
      return;
    }
    this.pick = { origin: seen.camera.position, direction: seen.ray } as Pick;
    this.place = seen.place;
  }
  forget() {
    this.pick = this.place = null;
  }
}

export const chosen = new Chosen();
desk.lay('ready', chosen, () => ({ verb: 'Push', values: {}, pick: null, place: null }), [
  'verb',
  'values',
]);
