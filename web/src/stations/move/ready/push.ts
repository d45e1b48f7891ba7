import { metres, type ReadyMove } from './kind';

export const push: ReadyMove = {
  verb: 'Push',
  title: 'Push',
  says: 'Straight in; out with a minus.',
  fields: [metres('distance_m', 'By', 1.5)],
  pick: { name: 'toward', asks: 'at what' },
};
