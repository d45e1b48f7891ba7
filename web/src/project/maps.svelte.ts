/** Which maps of where the trick would show are laid over the shot. */
import { desk } from '../lib/desk.svelte';
import { MAPS, type MapName } from './strip.svelte';

class Maps {
  on = $state.raw<MapName[]>([]);

  toggle(name: MapName) {
    this.on = this.on.includes(name) ? this.on.filter((n) => n !== name) : [...this.on, name];
  }

  /** Switches over a view. */
  get chips() {
    return MAPS.map(([name, label]) => ({
      label,
      on: this.on.includes(name),
      press: () => this.toggle(name),
    }));
  }
}

export const maps = new Maps();
desk.lay('maps', maps, () => ({ on: [] }), []);
