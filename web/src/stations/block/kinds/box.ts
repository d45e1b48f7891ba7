import { DEPTH, HEIGHT, PLACE, WIDTH, type Kind } from './kind';

export const box: Kind = {
  kind: 'box',
  label: 'Box',
  feet: [
    'Pick the front left corner of its foot.',
    'Pick the front right corner.',
    'Pick how deep it goes, on the ground.',
  ],
  top: 'Pick its top; Enter takes 1 m.',
  fields: [WIDTH, DEPTH, HEIGHT, ...PLACE],
};
