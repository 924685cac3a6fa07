import { CoreError } from '../errors';
import { METRES_PER, type LengthUnit } from './length-unit';

export interface ParsedLength {
  valueM: number;
  /** the value in `unit`; inches when the unit is `ft-in` */
  value: number;
  unit: LengthUnit;
  /** what the person typed, trimmed, kept beside the value */
  typed: string;
}

const UNIT_WORDS: [RegExp, LengthUnit][] = [
  [/^(mm|millimet(er|re)s?)$/i, 'mm'],
  [/^(cm|centimet(er|re)s?)$/i, 'cm'],
  [/^(m|met(er|re)s?)$/i, 'm'],
  [/^(in|inch|inches|"|″|”|'')$/i, 'in'],
  [/^(ft|foot|feet|'|′|’)$/i, 'ft'],
];

const FOOT = `(?:'|′|’|ft|feet|foot)`;
const INCH = `(?:"|″|”|''|in|inch|inches)`;
const FEET_AND_INCHES = new RegExp(`^(\\d+)\\s*${FOOT}\\s*[-, ]?\\s*(.+?)\\s*${INCH}?$`, 'i');
const VULGAR: Record<string, string> = { '½': '1/2', '¼': '1/4', '¾': '3/4', '⅛': '1/8', '⅜': '3/8', '⅝': '5/8', '⅞': '7/8' };

const unreadable = (typed: string, why: string, field?: string) => new CoreError('UNREADABLE_INPUT', `"${typed}" is not a length: ${why}`, field);

/** One decimal separator, point or comma; a whole number, a fraction or both: `7`, `7.25`, `7,25`, `1/4`, `7 1/4`, `7-1/4`. */
function parseNumber(text: string, typed: string, field?: string): number {
  const t = text.trim();
  const mixed = /^(?:(\d+)[\s-]+)?(\d+)\s*\/\s*(\d+)$/.exec(t);
  if (mixed) {
    const denominator = Number(mixed[3]);
    if (denominator === 0) throw unreadable(typed, 'a fraction cannot have 0 below the line', field);
    if (mixed[1] !== undefined && Number(mixed[2]) >= denominator) {
      throw unreadable(typed, `${mixed[2]}/${mixed[3]} after a whole number must be less than 1`, field);
    }
    return Number(mixed[1] ?? 0) + Number(mixed[2]) / denominator;
  }
  if (/^\d{1,3}([.,]\d{3})+[.,]\d+$/.test(t)) throw unreadable(typed, 'write it without thousands separators', field);
  if (!/^(\d+([.,]\d*)?|[.,]\d+)$/.test(t)) throw unreadable(typed, 'write a number such as 1.403, 140,3 or 7 1/4', field);
  return Number(t.replace(',', '.'));
}

/**
 * Reads a length in the form in which it was measured and keeps that form.
 * `parseLength('4\' 7 1/4"')` gives 55.25 in as `ft-in`, 1.40335 m. A number without a unit takes `defaultUnit`; without a
 * default it is refused as AMBIGUOUS_INPUT, never guessed. So is `1,403 m`: 1.403 m or 1403 m.
 * @throws CoreError UNREADABLE_INPUT | AMBIGUOUS_INPUT
 */
export function parseLength(text: string, defaultUnit?: LengthUnit, field?: string): ParsedLength {
  const typed = text.trim();
  let t = typed
    .replace(/[½¼¾⅛⅜⅝⅞]/g, (c) => ` ${VULGAR[c]}`)
    .replace(/\s+/g, ' ')
    .trim();
  if (t === '') throw unreadable(typed, 'nothing was entered', field);
  if (t.startsWith('-') || t.startsWith('−')) throw unreadable(typed, 'a length cannot be negative', field);
  if (t.startsWith('+')) t = t.slice(1).trim();

  const both = FEET_AND_INCHES.exec(t);
  if (both) {
    const inches = parseNumber(both[2], typed, field);
    if (inches >= 12) throw unreadable(typed, `${both[2]} inches after feet must be less than 12`, field);
    const value = Number(both[1]) * 12 + inches;
    return { valueM: metres(value, 'ft-in'), value, unit: 'ft-in', typed };
  }

  const split = /^([\d.,/\s-]+?)\s*([^\d.,/\s-].*)?$/.exec(t);
  if (!split) throw unreadable(typed, 'write a number and a unit, such as 1.403 m', field);
  let unit = defaultUnit;
  if (split[2] !== undefined) {
    unit = UNIT_WORDS.find(([word]) => word.test(split[2].trim()))?.[1];
    if (!unit) throw unreadable(typed, `the unit "${split[2].trim()}" is not one of m, cm, mm, in, ft`, field);
  }
  if (!unit) throw new CoreError('AMBIGUOUS_INPUT', `"${typed}" has no unit: add m, cm, mm, in or ft`, field);
  if (/^\d{1,3},\d{3}$/.test(split[1].trim()) && unit === 'm') {
    const digits = split[1].trim();
    throw new CoreError('AMBIGUOUS_INPUT', `"${typed}" could be ${digits.replace(',', '.')} or ${digits.replace(',', '')} ${unit}: write it with a point or without a separator`, field);
  }
  const value = parseNumber(split[1], typed, field);
  // feet-and-inches as the person's default still reads a bare number as inches
  return { valueM: metres(value, unit), value, unit, typed };
}

/** 39.8 mm is 0.0398 m and not 0.039799999999999995: twelve digits hold a picometre of a metre. */
function metres(value: number, unit: LengthUnit): number {
  return Number((value * METRES_PER[unit]).toPrecision(12));
}
