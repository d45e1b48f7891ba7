import type { ReadyMove } from './kind';

export const arc: ReadyMove = {
  verb: 'Arc',
  title: 'Arc',
  says: 'Round something, to the right; to the left with a minus.',
  fields: [{ name: 'angle_deg', label: 'By', unit: '°', usual: 6, step: 1, places: 1 }],
  pick: { name: 'about', asks: 'round what' },
};
