import { CoreError } from '../errors';

export interface ReadingSeries {
  /** of the readings that are used, in their unit */
  mean: number;
  /** standard deviation of one reading about the mean; null with one reading */
  spread: number | null;
  /** of the mean: what the instrument states, or what the readings show, whichever is worse */
  sigmaMean: number;
  /** index of a reading that does not fit the others; it stays in the mean until somebody takes it out */
  outlier: { index: number; /** how far it lies from the mean of the others */ off: number } | null;
}

/** Two readings further apart than this many sigmas of a difference are worth a third. */
const DOUBT = 3;

/**
 * Repeat readings of one quantity.
 * Model    x_i = mu + s + e_i: `e` differs from reading to reading, the instrument's own error `s` is in all of them. A tolerance is two
 *          sigma of both together. Repeating averages `e` only, so that the mean of a hundred readings is not better than the instrument:
 *          sigmaMean^2 = max(sigma^2 / 2, spread^2 - sigma^2 / 2) / n + sigma^2 / 2.
 * Outlier  the one whose removal makes the rest agree: its distance from the mean of the others over sigma * sqrt(1 + 1/(n-1)) is above
 *          three, and above that of every other one. With two readings nobody can say which is wrong: none is named.
 * Source   Ghilani, Adjustment Computations, ch. 3 and 5 (repeated measurements, systematic part); the halves are our assumption.
 * @throws CoreError TOO_FEW_OBSERVATIONS | NON_FINITE_INPUT | INVALID_OPTION
 */
export function averageReadings(values: readonly number[], tolerance: number): ReadingSeries {
  const n = values.length;
  if (n === 0) throw new CoreError('TOO_FEW_OBSERVATIONS', 'There is no reading');
  if (!values.every(Number.isFinite)) throw new CoreError('NON_FINITE_INPUT', 'A reading is no number');
  if (!(tolerance > 0)) throw new CoreError('INVALID_OPTION', 'The tolerance must be above zero', 'tolerance');
  const sigma = tolerance / 2;
  const mean = values.reduce((s, v) => s + v, 0) / n;
  const spread = n < 2 ? null : Math.sqrt(values.reduce((s, v) => s + (v - mean) ** 2, 0) / (n - 1));
  const own = sigma ** 2 / 2;
  const single = Math.max(own, (spread ?? 0) ** 2 - own);
  return { mean, spread, sigmaMean: Math.sqrt(single / n + own), outlier: n < 3 ? null : outlierOf(values, mean, sigma) };
}

function outlierOf(values: readonly number[], mean: number, sigma: number): ReadingSeries['outlier'] {
  const n = values.length;
  const off = values.map((v) => v - (mean * n - v) / (n - 1));
  const worst = off.reduce((at, d, i) => (Math.abs(d) > Math.abs(off[at]) ? i : at), 0);
  const others = values.filter((_, i) => i !== worst);
  const range = Math.max(...others) - Math.min(...others);
  // readings that scatter among themselves say nothing against one of them
  const agree = range <= DOUBT * sigma * Math.SQRT2;
  return agree && Math.abs(off[worst]) > DOUBT * sigma * Math.sqrt(1 + 1 / (n - 1)) ? { index: worst, off: off[worst] } : null;
}
