import type { ReadyMove } from './kind';

export const drift: ReadyMove = {
  verb: 'Drift',
  title: 'Drift',
  says: 'As if held by hand, on top of the move that is there.',
  fields: [
    { name: 'sway_m', label: 'Sway', unit: 'm', usual: 0.02, step: 0.005, places: 3, min: 0.001 },
    { name: 'turn_deg', label: 'Turn', unit: '°', usual: 0.4, step: 0.1, places: 1, min: 0 },
    { name: 'seed', label: 'Seed', unit: '', usual: 1, step: 1, places: 0, min: 0 },
  ],
};
