import { PLACE, LEAN, type Kind } from './kind';

export const outline: Kind = {
  kind: 'outline',
  label: 'Outline',
  feet: ['Pick one end of its foot.', 'Pick the other end.'],
  round: 'Go on round it, point by point. Enter, or a press on the first point, closes it.',
  fields: [
    { name: 'thickness_m', label: 'Thickness', unit: 'm', min: 0 },
    { name: 'margin_m', label: 'Margin to spare', unit: 'm', min: 0 },
    LEAN,
    ...PLACE,
  ],
};
