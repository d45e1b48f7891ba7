import { DEPTH, PLACE, WIDTH, type Kind } from './kind';

export const floor: Kind = {
  kind: 'floor',
  label: 'Floor',
  feet: ['Pick one corner on the ground.', 'Pick the corner across from it.'],
  fields: [WIDTH, DEPTH, ...PLACE],
};
