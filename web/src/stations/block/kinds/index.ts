/** The kinds of proxy: the only place in the interface that lists them. */
import { backdrop } from './backdrop';
import { box } from './box';
import { card } from './card';
import { drum } from './drum';
import { floor } from './floor';
import type { Kind } from './kind';

export type { Field, Kind } from './kind';
const ALL: Kind[] = [floor, card, box, drum, backdrop];
export const KINDS = new Map(ALL.map((kind) => [kind.kind, kind]));
/** Those that are stood by picking places. */
export const STOOD = ALL.filter((kind) => kind.feet.length);
