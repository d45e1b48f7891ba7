/** What a ready move is to the interface. Each kind is one file here, as in the core. */
import type { Change, Pick } from '../../../lib/api/client';

export interface ReadyField {
  name: string;
  label: string;
  unit: string;
  usual: number;
  step?: number;
  places?: number;
  min?: number;
  length?: boolean;
}

export interface ReadyMove {
  verb: string;
  title: string;
  says: string;
  fields: ReadyField[];
  /** The place in the picture that it may be about: what it is called by the core, and in words. */
  pick?: { name: string; asks: string };
}

/** The change that a move asks for. */
export const ask = (move: ReadyMove, values: Record<string, number>, pick: Pick | null): Change =>
  ({
    verb: move.verb,
    ...Object.fromEntries(move.fields.map((f) => [f.name, values[f.name] ?? f.usual])),
    ...(move.pick && pick ? { [move.pick.name]: pick } : {}),
  }) as unknown as Change;

export const metres = (name: string, label: string, usual: number): ReadyField => ({
  name,
  label,
  usual,
  unit: 'm',
  length: true,
});
