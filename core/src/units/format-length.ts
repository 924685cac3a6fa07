import { METRES_PER, type LengthUnit } from './length-unit';

export interface FormatLengthOptions {
  /** decimals of a decimal unit; default by unit so that the last digit is about a millimetre */
  decimals?: number;
  /** smallest fraction of an inch for `ft-in`; default 16 */
  denominator?: number;
}

const DEFAULT_DECIMALS: Record<LengthUnit, number> = { m: 3, cm: 1, mm: 0, in: 2, ft: 3, 'ft-in': 0 };

/** Writes a length of `valueM` metres in `unit`: `1.403 m`, `55.25 in`, `4' 7 1/4"`. Inverse of parseLength up to rounding. */
export function formatLength(valueM: number, unit: LengthUnit, options: FormatLengthOptions = {}): string {
  if (!Number.isFinite(valueM)) return '–';
  if (unit !== 'ft-in') {
    const text = (valueM / METRES_PER[unit]).toFixed(options.decimals ?? DEFAULT_DECIMALS[unit]);
    return `${text} ${unit}`;
  }
  const denominator = options.denominator ?? 16;
  const sign = valueM < 0 ? '−' : '';
  let ticks = Math.round((Math.abs(valueM) / METRES_PER.in) * denominator);
  const feet = Math.floor(ticks / (12 * denominator));
  ticks -= feet * 12 * denominator;
  const inches = Math.floor(ticks / denominator);
  let numerator = ticks - inches * denominator;
  let below = denominator;
  while (numerator > 0 && numerator % 2 === 0) {
    numerator /= 2;
    below /= 2;
  }
  const fraction = numerator > 0 ? ` ${numerator}/${below}` : '';
  return `${sign}${feet}' ${inches}${fraction}"`;
}
