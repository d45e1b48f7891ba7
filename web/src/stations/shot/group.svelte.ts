/** Keys of the shot that are moved, stretched or copied together: those from one frame to another,
 *  both included, and the frames that these two go to. */
import type { Change } from '../../lib/api/client';
import { desk } from '../../lib/desk.svelte';

class Group {
  first = $state(0);
  last = $state(0);
  to_first = $state(0);
  to_last = $state(0);
  /** It is marked on the time strip. */
  marked = $state(false);

  mark(a: number, b: number) {
    [this.first, this.last] = [Math.min(a, b), Math.max(a, b)];
    this.stay();
    this.marked = true;
  }

  /** Go to where it is. */
  stay() {
    [this.to_first, this.to_last] = [this.first, this.last];
  }

  /** Be where it has gone to. */
  arrive() {
    [this.first, this.last] = [this.to_first, this.to_last];
  }

  get goes() {
    return this.first !== this.to_first || this.last !== this.to_last;
  }

  change(copies: boolean): Change {
    const { first, last, to_first, to_last } = this;
    return { verb: 'RetimeKeys', first, last, to_first, to_last, copies } as Change;
  }
}

export const group = new Group();
desk.lay('group', group, () => ({ first: 0, last: 0, to_first: 0, to_last: 0, marked: false }), []);
