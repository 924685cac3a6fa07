import { METRES_PER, type LengthUnit } from '../units';

/** A reading as it was written down, and what the rest of the net says that it should be. */
export interface DoubtfulLength {
  /** as typed, such as 2.48 or 4' 7 1/4" */
  typed: string;
  unit: LengthUnit;
  m: number;
  computedM: number;
  /** of computed and measured together */
  sigmaM: number;
}

const CLOSE = 3;

/** A slip of the pen or of the unit that would explain a tie which does not fit; null when none does. */
export function explainLength({ typed, unit, m, computedM, sigmaM }: DoubtfulLength): string | null {
  const close = (v: number) => Math.abs(v - computedM) <= CLOSE * sigmaM && Math.abs(v - m) > 2 * CLOSE * sigmaM;
  const list: { m: number; words: string }[] = [];
  const other = (from: LengthUnit, to: LengthUnit, words: string) => {
    if (unit === from) list.push({ m: (m / METRES_PER[from]) * METRES_PER[to], words });
  };
  other('cm', 'in', 'inches were written down as centimetres');
  other('in', 'cm', 'centimetres were written down as inches');
  other('m', 'ft', 'feet were written down as metres');
  other('ft', 'm', 'metres were written down as feet');
  other('cm', 'mm', 'millimetres were written down as centimetres');
  other('mm', 'cm', 'centimetres were written down as millimetres');
  for (const [times, words] of [
    [10, 'the decimal point is one place too far left'],
    [0.1, 'the decimal point is one place too far right'],
  ] as const)
    list.push({ m: m * times, words });
  for (const swapped of transposed(typed)) {
    const value = Number(swapped.replace(',', '.'));
    if (Number.isFinite(value)) list.push({ m: value * METRES_PER[unit], words: `two digits changed places: ${swapped} instead of ${numberOf(typed)}` });
  }
  // a hand reads the wrong metre, foot or decimetre of a tape
  const steps: [number, string][] =
    unit === 'ft' || unit === 'in' || unit === 'ft-in'
      ? [[METRES_PER.ft, 'one foot']]
      : [
          [1, 'one metre'],
          [0.1, 'ten centimetres'],
        ];
  for (const [step, words] of steps) {
    list.push({ m: m + step, words: `${words} too little was read` });
    list.push({ m: m - step, words: `${words} too much was read` });
  }
  return list.find((c) => close(c.m))?.words ?? null;
}

const numberOf = (typed: string): string => /[\d.,]+/.exec(typed)?.[0] ?? '';

/** The same number with two neighbouring digits exchanged. */
function transposed(typed: string): string[] {
  const text = numberOf(typed);
  const digits = [...text].map((c, i) => (/\d/.test(c) ? i : -1)).filter((i) => i >= 0);
  return digits.slice(1).flatMap((j, k) => {
    const i = digits[k];
    if (text[i] === text[j]) return [];
    const out = [...text];
    [out[i], out[j]] = [out[j], out[i]];
    return [out.join('')];
  });
}
