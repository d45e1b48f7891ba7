import { metres, type ReadyMove } from './kind';

export const truck: ReadyMove = {
  verb: 'Truck',
  title: 'Truck',
  says: 'Sideways, to the right; to the left with a minus.',
  fields: [metres('distance_m', 'By', 0.5)],
  pick: { name: 'hold', asks: 'hold what' },
};
