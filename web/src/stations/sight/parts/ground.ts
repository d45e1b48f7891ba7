/** How many places on the ground place a camera, at the least and at the most. */
export const FEWEST = 3;
export const MOST = 24;
