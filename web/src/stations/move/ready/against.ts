import { metres, type ReadyMove } from './kind';

export const against: ReadyMove = {
  verb: 'Against',
  title: 'Lens against',
  says: 'In, while the lens gets wider: what is held keeps its size. Out with a minus.',
  fields: [metres('distance_m', 'By', 1)],
  pick: { name: 'subject', asks: 'hold what' },
};
