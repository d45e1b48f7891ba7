import { DEPTH, HEIGHT, PLACE, WIDTH, type Kind } from './kind';

export const steps: Kind = {
  kind: 'steps',
  label: 'Steps',
  feet: [
    'Pick the left end of the lowest edge.',
    'Pick its right end.',
    'Pick how deep they go, on the ground.',
  ],
  top: 'Pick the top of the last one; Enter takes 1 m.',
  fields: [
    WIDTH,
    DEPTH,
    HEIGHT,
    { name: 'count', label: 'Steps', unit: '', min: 1, step: 1, places: 0 },
    ...PLACE,
  ],
};
