import type { Kind } from './kind';

/** It hangs before the lens, so it is not stood by picks and does not slide. */
export const backdrop: Kind = {
  kind: 'backdrop',
  label: 'Backdrop',
  feet: [],
  fields: [
    { name: 'distance_m', label: 'Distance', unit: 'm', min: 0.1 },
    { name: 'margin', label: 'Margin', unit: '×', min: 0 },
  ],
};
