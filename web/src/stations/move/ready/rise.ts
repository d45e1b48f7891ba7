import { metres, type ReadyMove } from './kind';

export const rise: ReadyMove = {
  verb: 'Rise',
  title: 'Rise',
  says: 'Upwards; down with a minus.',
  fields: [metres('distance_m', 'By', 0.4)],
  pick: { name: 'hold', asks: 'hold what' },
};
