import { PLACE, type Kind } from './kind';

/** It is stretched between lines or outlines, so it is not stood by feet. */
export const span: Kind = { kind: 'span', label: 'Span', feet: [], fields: PLACE };
