import { DEPTH, HEIGHT, PLACE, WIDTH, type Kind } from './kind';

export const room: Kind = {
  kind: 'room',
  label: 'Room',
  feet: ['Pick the left foot of its back wall.', 'Pick the right foot.'],
  top: 'Pick the top of the back wall; Enter takes 2.6 m.',
  fields: [WIDTH, DEPTH, HEIGHT, ...PLACE],
  sides: ['back', 'left', 'right', 'floor', 'ceiling', 'front'],
};
