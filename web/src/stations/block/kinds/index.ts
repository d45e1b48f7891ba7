/** The kinds of proxy: the only place in the interface that lists them. */
import { backdrop } from './backdrop';
import { box } from './box';
import { card } from './card';
import { dome } from './dome';
import { drum } from './drum';
import { floor } from './floor';
import type { Kind } from './kind';
import { outline } from './outline';
import { room } from './room';
import { solid } from './solid';
import { span } from './span';
import { steps } from './steps';

export type { Field, Kind } from './kind';
const ALL: Kind[] = [floor, card, outline, box, steps, drum, room, span, solid, backdrop, dome];
export const KINDS = new Map(ALL.map((kind) => [kind.kind, kind]));
/** Those that are stood by picking places. */
export const STOOD = ALL.filter((kind) => kind.feet.length);
