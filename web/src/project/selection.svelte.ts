/** What is selected: a set of typed references. */
import { desk } from '../lib/desk.svelte';

/** A thing of the scene, or a part of it, such as the end of a trace. */
export interface Ref {
  kind: string;
  id: string;
  part?: number;
}

class Selection {
  refs = $state.raw<Ref[]>([]);

  /** The one thing that is selected, if it is one. */
  get only(): Ref | null {
    return this.refs.length === 1 ? this.refs[0] : null;
  }

  /** The id of what is selected, if that is one thing of a kind. */
  one(kind: string): string | null {
    return this.only?.kind === kind ? this.only.id : null;
  }

  has(kind: string, id: string): boolean {
    return this.refs.some((r) => r.kind === kind && r.id === id);
  }

  choose(kind: string, id: string, part?: number) {
    this.refs = [part === undefined ? { kind, id } : { kind, id, part }];
  }

  /** All that are selected of a kind, in the order they were taken. */
  all(kind: string): string[] {
    return this.refs.filter((r) => r.kind === kind).map((r) => r.id);
  }

  /** Take one more, or let one of several go. */
  add(kind: string, id: string) {
    this.refs = this.has(kind, id)
      ? this.refs.filter((r) => r.kind !== kind || r.id !== id)
      : [...this.refs.filter((r) => r.kind === kind), { kind, id }];
  }

  chooseAll(kind: string, ids: string[]) {
    this.refs = ids.map((id) => ({ kind, id }));
  }

  toggle(kind: string, id: string) {
    if (this.has(kind, id)) this.clear();
    else this.choose(kind, id);
  }

  clear() {
    this.refs = [];
  }
}

export const selection = new Selection();
desk.lay('selection', selection, () => ({ refs: [] }), ['refs']);
