import { AmbiguousInput, CoreError } from '../errors';
import { FOCUS_INFINITY_M, INFINITY_FORM } from './focus';
import { formatLength } from './format-length';
import { LENGTH_UNITS, type LengthUnit } from './length-unit';
import { parseLength, type ParsedLength } from './parse-length';

/**
 * What a length is of: what it can be at all, and what it usually is, metres. Outside the first it is refused, outside the second it is
 * asked about. From the things themselves: a crane's arm, a stage's length, a lens's focus scale.
 */
export const LENGTH_QUANTITIES = {
  'camera height': { canBeM: [0.01, 150], usualM: [0.08, 12] },
  'focus distance': { canBeM: [0.01, 10_000], usualM: [0.1, 200] },
  distance: { canBeM: [0.005, 10_000], usualM: [0.1, 100] },
  tie: { canBeM: [0.002, 1000], usualM: [0.03, 60] },
  'mark height': { canBeM: [0, 150], usualM: [0, 12] },
  'offset to the pupil': { canBeM: [0, 5], usualM: [0, 0.8] },
  'cell of a chart': { canBeM: [0.0005, 5], usualM: [0.003, 0.4] },
} as const satisfies Record<string, { canBeM: readonly [number, number]; usualM: readonly [number, number] }>;
export type LengthQuantity = keyof typeof LENGTH_QUANTITIES;

/** Behind a length, as in `13 m!`: it is meant as it stands, however unusual. */
const MEANT = /\s*!$/;

const UNIT_NAMES: Record<LengthUnit, string> = { m: 'metres', cm: 'centimetres', mm: 'millimetres', in: 'inches', ft: 'feet', 'ft-in': 'feet and inches' };

/** From the last or the planned value by more than this ratio is worth a question. */
const FAR_RATIO = 3;

export interface LengthContext {
  /** in which the person measures: what a bare number is */
  unit: LengthUnit;
  quantity: LengthQuantity;
  /** of the take before, or as planned */
  nearM?: number | null;
}
export type LengthReading =
  | { status: 'read'; length: ParsedLength }
  /** more than one reading makes sense, or the only one is far from what it should be; each is a whole answer */
  | { status: 'ask'; readings: ParsedLength[]; why: string }
  | { status: 'refused'; why: string };

/** In the unit in which it is said, and in metres where that is another one. */
export const lengthWords = (l: ParsedLength): string => (l.typed === '∞' || l.unit === 'm' || l.unit === 'cm' || l.unit === 'mm' ? l.typed : `${l.typed} (${formatLength(l.valueM, 'm')})`);

/**
 * Reads a length as people write it and never guesses between two that make sense. A number without a unit is in the person's unit, if that
 * can be: 1.41 of somebody who measures in feet and inches is asked about, and 1,620 mm is 1620 mm, since 1.62 mm is no camera height.
 * A focus distance may be ∞, the lens at its stop. The typed form of the answer always has its unit. What ends in `!` is said again: unusual, far, and meant; what cannot be stays refused.
 */
export function readLength(text: string, context: LengthContext): LengthReading {
  const { canBeM, usualM } = LENGTH_QUANTITIES[context.quantity];
  const meant = MEANT.test(text.trim());
  const typed = text.trim().replace(MEANT, '');
  if (context.quantity === 'focus distance' && INFINITY_FORM.test(typed)) return { status: 'read', length: { valueM: FOCUS_INFINITY_M, value: FOCUS_INFINITY_M, unit: 'm', typed: '∞' } };
  let all: Candidate[];
  try {
    all = distinct(candidates(typed, context.unit));
  } catch (error) {
    if (error instanceof CoreError) return { status: 'refused', why: error.message };
    throw error;
  }
  const within =
    ([low, high]: readonly [number, number]) =>
    (l: ParsedLength) =>
      l.valueM >= low * (1 - 1e-9) && l.valueM <= high * (1 + 1e-9);
  const own = all.filter((l) => l.own);
  const possible = all.filter(within(canBeM));
  const usual = possible.filter(within(usualM));
  const isFar = (l: ParsedLength) => context.nearM !== undefined && context.nearM !== null && context.nearM > 0 && (l.valueM > FAR_RATIO * context.nearM || l.valueM < context.nearM / FAR_RATIO);
  const ownUsual = usual.filter((l) => l.own);
  const span = `A ${context.quantity} is usually ${formatLength(usualM[0], context.unit)} to ${formatLength(usualM[1], context.unit)}`;
  const said = meant ? possible.filter((l) => l.own) : [];
  if (said.length === 1) return { status: 'read', length: said[0] };
  if (ownUsual.length === 1 && !isFar(ownUsual[0])) return { status: 'read', length: ownUsual[0] };
  if (ownUsual.length > 1) return { status: 'ask', readings: ownUsual, why: `${typed} can be read in ${ownUsual.length} ways` };
  if (ownUsual.length === 1) {
    // it makes sense by itself, and is far from what it was: the same digits in another unit may be meant
    const nearer = usual.filter((l) => l !== ownUsual[0] && !isFar(l));
    return { status: 'ask', readings: [ownUsual[0], ...nearer], why: `${lengthWords(ownUsual[0])} is far from ${formatLength(context.nearM!, context.unit)}` };
  }
  if (usual.length > 0) {
    const stated = own[0];
    // feet and inches typed by somebody who measures in metres: there is nothing unusual about the length
    const why = stated ? `${lengthWords(stated)} would be unusual. ${span}` : `${typed} is not how ${UNIT_NAMES[context.unit]} are written, which you measure in`;
    return { status: 'ask', readings: [...usual, ...own.filter(within(canBeM))], why };
  }
  if (possible.length > 0) return { status: 'ask', readings: possible.filter((l) => l.own || own.length === 0), why: span };
  return { status: 'refused', why: `${own[0] ? lengthWords(own[0]) : typed} is no ${context.quantity}. ${span}` };
}

/**
 * The one reading, for places where nobody can be asked: tables, files.
 * @throws CoreError AMBIGUOUS_INPUT with the readings to choose from, UNREADABLE_INPUT
 */
export function mustReadLength(text: string, context: LengthContext): ParsedLength {
  const r = readLength(text, context);
  if (r.status === 'read') return r.length;
  if (r.status === 'refused') throw new CoreError('UNREADABLE_INPUT', r.why);
  throw new AmbiguousInput(
    r.why,
    r.readings.map((l) => ({ write: whatToWrite(l, context), words: lengthWords(l) })),
  );
}

/** The text that is read as `length` and as nothing else. */
const whatToWrite = (length: ParsedLength, context: LengthContext): string => (readLength(length.typed, context).status === 'read' ? length.typed : `${length.typed}!`);

type Candidate = ParsedLength & {
  /** by the unit that was written, or the person's own; others are what else the digits may mean */
  own: boolean;
};

const FEET_FORM = /^(\d{1,3})(?:\s*-\s*|\s+)(\d{1,2}(?:[.,]\d+)?)(?:(?:\s*-\s*|\s+)(\d{1,2}\/\d{1,2}))?$/;
const METRE_FORM = /^(\d{1,3})\s*m\s*(\d{2})$/i;
const SHORT_FEET = /^(\d{1,3})\s*(?:'|′|’|ft|feet|foot)\s*(\d{1,2}(?:[.,]\d+)?(?:\s+\d{1,2}\/\d{1,2})?)$/i;
/** 1 620, 1,620, 1.620: thousands in one country and a decimal in another */
const THREE = /^(\d{1,3})([ .,\u00a0\u202f'])(\d{3})$/;

function candidates(typed: string, unit: LengthUnit): Candidate[] {
  const m = METRE_FORM.exec(typed);
  if (m) return [{ valueM: Number(m[1]) + Number(m[2]) / 100, value: Number(m[1]) + Number(m[2]) / 100, unit: 'm', typed: `${m[1]}.${m[2]} m`, own: true }];
  const short = SHORT_FEET.exec(typed);
  if (short) return [feet(short[1], short[2], typed, true)];
  const [digits, word] = split(typed);
  const three = THREE.exec(digits);
  if (three && word) return threes(three).map((n) => ({ ...parseLength(`${n} ${word}`), own: true }));
  if (word) return [{ ...parseLength(typed), own: true }];

  const imperial = unit === 'in' || unit === 'ft' || unit === 'ft-in';
  const form = FEET_FORM.exec(digits);
  if (form && !three && Number(form[2].replace(',', '.')) < 12) return [feet(form[1], form[3] ? `${form[2]} ${form[3]}` : form[2], typed, imperial)];
  const numbers = three ? threes(three) : [digits];
  const others = LENGTH_UNITS.filter((u) => u !== 'ft-in');
  return numbers.flatMap((n) => {
    // a person who measures in feet and inches writes a bare number of either; with decimals of neither for sure
    const mine: LengthUnit[] = unit === 'ft-in' ? (/[.,]/.test(n) ? ['in'] : ['in', 'ft']) : [unit];
    return [...mine, ...others.filter((u) => !mine.includes(u))].filter((u) => fits(n, u)).map((u): Candidate => ({ ...withUnit(n, u), own: mine.includes(u) }));
  });
}

/** A fraction is of inches, and a half of anything; nobody writes 1 5/8 m. */
const fits = (number: string, unit: LengthUnit): boolean => !/[/½¼¾⅛⅜⅝⅞]/.test(number) || unit === 'in' || (/½/.test(number) && unit !== 'mm');
const withUnit = (number: string, unit: LengthUnit): ParsedLength => {
  const read = parseLength(number, unit);
  return { ...read, typed: `${read.typed} ${unit}` };
};

function feet(whole: string, inches: string, typed: string, own: boolean): Candidate {
  const read = parseLength(`${whole}' ${inches.replace(/-/g, ' ')}"`);
  return { ...read, typed: /['′’"″]/.test(typed) && /["″]$/.test(typed) ? typed : `${whole}' ${inches}"`, own };
}

/** Both numbers that three digits behind a mark may mean; a space only ever parts thousands. */
const threes = ([, head, mark, tail]: RegExpExecArray): string[] => (/[.,]/.test(mark) ? [`${head}.${tail}`, `${head}${tail}`] : [`${head}${tail}`]);

/** Number and unit; no unit where none was written. */
function split(typed: string): [string, string | null] {
  const m = /^([\d.,/½¼¾⅛⅜⅝⅞\s\u00a0\u202f'-]*?\d[\d.,/\s\u00a0\u202f-]*[½¼¾⅛⅜⅝⅞]?|[½¼¾⅛⅜⅝⅞])\s*([^\d\s.,/-].*)?$/.exec(typed.replace(/^\+/, ''));
  return m ? [m[1].trim(), m[2]?.trim() || null] : [typed, null];
}

function distinct(all: readonly Candidate[]): Candidate[] {
  return all.filter((l, i) => all.findIndex((o) => Math.abs(o.valueM - l.valueM) < 1e-9) === i);
}
