import type { Kind } from './kind';

/** It stands round the lens, so it is not stood by picks and does not slide. */
export const dome: Kind = {
  kind: 'dome',
  label: 'Dome',
  feet: [],
  fields: [{ name: 'distance_m', label: 'Distance', unit: 'm', min: 0.1 }],
};
