/** What a label reads, in the units that are chosen. */
import { chosen, length } from '../../lib/units.svelte';

const SQUARE_FOOT = 0.3048 ** 2;

export function reads(what: 'length' | 'angle' | 'area', value: number): string {
  if (what === 'length') return length(value);
  if (what === 'angle') return `${value.toFixed(1)}°`;
  return chosen.units === 'feet'
    ? `${(value / SQUARE_FOOT).toFixed(1)} sq ft`
    : `${value.toFixed(2)} m²`;
}
