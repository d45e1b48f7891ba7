import { HEIGHT, PLACE, RADIUS, type Kind } from './kind';

export const drum: Kind = {
  kind: 'drum',
  label: 'Drum',
  feet: ['Pick the left of its foot.', 'Pick the right of its foot.'],
  top: 'Pick its top; Enter takes 1 m.',
  fields: [
    RADIUS,
    { name: 'lip_m', label: 'Radius at its lip', unit: 'm', min: 0.005 },
    HEIGHT,
    ...PLACE,
  ],
};
