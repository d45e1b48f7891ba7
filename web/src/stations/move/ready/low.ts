import { metres, type ReadyMove } from './kind';

export const low: ReadyMove = {
  verb: 'LowPass',
  title: 'Low pass',
  says: 'Down near the floor and in, where near things go by fast.',
  fields: [metres('distance_m', 'By', 2.5), metres('height_m', 'At height', 1)],
  pick: { name: 'toward', asks: 'towards what' },
};
