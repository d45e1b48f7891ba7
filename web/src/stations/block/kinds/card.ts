import { HEIGHT, LEAN, PLACE, WIDTH, type Kind } from './kind';

export const card: Kind = {
  kind: 'card',
  label: 'Card',
  feet: ['Pick one end of its foot.', 'Pick the other end.'],
  top: 'Pick its top; Enter takes 2.4 m.',
  fields: [WIDTH, HEIGHT, LEAN, ...PLACE],
};
