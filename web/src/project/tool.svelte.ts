/** What the hand holds. Each station has tools of its own. */
import { desk } from '../lib/desk.svelte';
import { selection } from './selection.svelte';

class Tool {
  name = $state('none');

  /** Take a tool, or put it down again. works: it is for what is selected, which stays so. */
  choose(name: string, works = false) {
    this.name = this.name === name ? 'none' : name;
    if (this.name !== 'none' && !works) selection.clear();
  }

  /** Take a tool by its key: one that is held is kept. */
  take(name: string) {
    if (this.name !== name) this.choose(name);
  }

  putDown() {
    this.name = 'none';
  }
}

export const tool = new Tool();
desk.lay('tool', tool, () => ({ name: 'none' }), []);
