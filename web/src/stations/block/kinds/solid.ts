import { PLACE, type Kind } from './kind';

/** It comes of works on another kind, or from a file, so it is not stood by picks. */
export const solid: Kind = { kind: 'solid', label: 'Solid', feet: [], fields: PLACE };
