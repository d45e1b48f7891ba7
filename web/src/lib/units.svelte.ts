/** Lengths as they are read and typed: metres inside, metric or feet and inches on screen. */
import { desk } from './desk.svelte';

export type Units = 'metric' | 'feet';

class Chosen {
  units = $state<Units>('metric');
}

export const chosen = new Chosen();
desk.lay('units', chosen, () => ({}), ['units']);

const INCH = 0.0254;
const FOOT = 12 * INCH;

/** A length in the units chosen, for example 1.75 m or 5′ 8.9″. */
export function length(metres: number, places = 2, units: Units = chosen.units): string {
  if (units === 'metric') return `${metres.toFixed(places).replace('-', '−')} m`;
  return feet(metres);
}

export function feet(metres: number): string {
  const sign = metres < 0 ? '−' : '';
  const inches = Math.round((Math.abs(metres) / INCH) * 10) / 10;
  const whole = Math.floor(inches / 12);
  return `${sign}${whole}′ ${(inches - whole * 12).toFixed(1)}″`;
}

/** Metres from what was typed, whichever units it was typed in; a bare number is in the units
 *  chosen (feet, where those are feet). Null for what is no length. */
export function metres(text: string, units: Units = chosen.units): number | null {
  const t = text
    .trim()
    .toLowerCase()
    .replace(/,/g, '.')
    .replace(/−/g, '-')
    .replace(/′|’|(?<![a-z])(ft|feet|foot)(?![a-z])/g, "'")
    .replace(/″|”|''|(?<![a-z])(in|inch|inches)(?![a-z])/g, '"');
  const metric = /^(-?\d*\.?\d+)\s*(mm|cm|m|km)$/.exec(t);
  if (metric) return Number(metric[1]) * { mm: 0.001, cm: 0.01, m: 1, km: 1000 }[metric[2]]!;
  const imperial = /^(-?)(?:(\d*\.?\d+)\s*')?\s*(?:(\d*\.?\d+)\s*"?)?$/.exec(t);
  if (imperial && /['"]/.test(t) && (imperial[2] || imperial[3])) {
    const size = Number(imperial[2] ?? 0) * FOOT + Number(imperial[3] ?? 0) * INCH;
    return imperial[1] ? -size : size;
  }
  if (t === '' || !Number.isFinite(Number(t))) return null;
  return Number(t) * (units === 'metric' ? 1 : FOOT);
}
