/** The first steps: one mark for each station where somebody new does something. */
export interface FirstStep {
  station: 'sight' | 'block' | 'cast' | 'move' | 'deliver';
  words: string;
}

export const FIRST_STEPS: FirstStep[] = [
  {
    station: 'sight',
    words:
      'Sight finds the camera. Press E and sweep over edges that run one way; then over edges that run another way. The picture’s own edges are under the brush.',
  },
  {
    station: 'block',
    words:
      'Block stands simple shapes. Lay the ground and hang a backdrop, then press the feet of a box in the picture.',
  },
  {
    station: 'cast',
    words: 'Cast throws the picture onto what stands. At the lens nothing changes: that is right.',
  },
  {
    station: 'move',
    words: 'Move is the shot. Push makes one; under the time it says where the trick would show.',
  },
  { station: 'deliver', words: 'Deliver renders it. It goes on when this page is closed.' },
];
