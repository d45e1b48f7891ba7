/** A kind of proxy as the interface knows it. */
export interface Field {
  name: string;
  label: string;
  unit: string;
  min?: number;
  step?: number;
  places?: number;
}

export interface Kind {
  kind: string;
  label: string;
  /** What is asked for, pick by pick, where it is stood by picks: the feet first, then the top of
   *  what has one. */
  feet: string[];
  top?: string;
  /** What is asked for where an outline is drawn on from the feet. */
  round?: string;
  /** What it has that can be left out. */
  sides?: string[];
  fields: Field[];
}

const LEAST_M = 0.005;
export const WIDTH: Field = { name: 'width_m', label: 'Width', unit: 'm', min: LEAST_M };
export const DEPTH: Field = { name: 'depth_m', label: 'Depth', unit: 'm', min: LEAST_M };
export const HEIGHT: Field = { name: 'height_m', label: 'Height', unit: 'm', min: LEAST_M };
export const RADIUS: Field = { name: 'radius_m', label: 'Radius', unit: 'm', min: LEAST_M };
export const LEAN: Field = { name: 'lean_deg', label: 'Lean', unit: '°', step: 1, places: 1 };
/** Where it stands: of all that stand on the floor. */
export const PLACE: Field[] = [
  { name: 'x', label: 'Across', unit: 'm' },
  { name: 'z', label: 'Towards the lens', unit: 'm' },
  { name: 'level_m', label: 'Level', unit: 'm' },
  { name: 'turn_deg', label: 'Turn', unit: '°', step: 1, places: 1 },
];
