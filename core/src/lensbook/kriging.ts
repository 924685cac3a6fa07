import { inverse, Matrix } from 'ml-matrix';

/** A place in the book: focal length as its logarithm, focus as its reciprocal in dioptres, each over the scale on which a lens changes. */
export type Place = readonly [focal: number, focus: number];

export interface Scales {
  /** in natural logarithms: 1 is a factor of 2.7 in focal length */
  focal: number;
  dioptres: number;
}

export const placeOf = (focalMm: number, focusM: number): Place => [Math.log(focalMm), focusM === Infinity ? 0 : 1 / focusM];

/** Variance of a plate against the lens's changes: two plates at one place need not agree to the last digit. */
const NUGGET = 1e-4;

/** Matérn covariance of order 5/2: twice differentiable, as a lens's mechanics are. Rasmussen & Williams 2006, eq. 4.17. */
function covariance(a: Place, b: Place, s: Scales): number {
  const d = Math.hypot((a[0] - b[0]) / s.focal, (a[1] - b[1]) / s.dioptres);
  const q = Math.sqrt(5) * d;
  return (1 + q + (q * q) / 3) * Math.exp(-q);
}

/**
 * Ordinary kriging over places: an unknown mean, no trend, weights that sum to one. All outputs of a lens share its places and so its weights.
 * Source  Cressie, Statistics for Spatial Data (1993), sec. 3.2; leave-one-out in closed form: Dubrule, Cross validation of kriging in a
 *         unique neighborhood, Math. Geology 15(6), 1983.
 */
export class Kriging {
  private readonly inverse: Matrix;
  /** K⁻¹ without the mean: what is left of a column of values after its best mean */
  private readonly centred: Matrix;
  private readonly sumOfInverse: number;

  constructor(
    readonly places: readonly Place[],
    readonly scales: Scales,
  ) {
    const n = places.length;
    const k = Matrix.zeros(n, n);
    for (let i = 0; i < n; i += 1) for (let j = 0; j < n; j += 1) k.set(i, j, covariance(places[i], places[j], scales) + (i === j ? NUGGET : 0));
    this.inverse = inverse(k);
    const rows = Array.from({ length: n }, (_, i) => this.inverse.getRow(i).reduce((a, b) => a + b, 0));
    this.sumOfInverse = rows.reduce((a, b) => a + b, 0);
    this.centred = this.inverse.clone();
    for (let i = 0; i < n; i += 1) for (let j = 0; j < n; j += 1) this.centred.set(i, j, this.inverse.get(i, j) - (rows[i] * rows[j]) / this.sumOfInverse);
  }

  /** Weights of the plates at a place, and the variance there as a share of the lens's own. */
  at(place: Place): { weights: Float64Array; variance: number } {
    const n = this.places.length;
    const k = this.places.map((p) => covariance(p, place, this.scales));
    const plain = Float64Array.from({ length: n }, (_, i) => k.reduce((sum, kj, j) => sum + this.inverse.get(i, j) * kj, 0));
    const missing = (1 - plain.reduce((a, b) => a + b, 0)) / this.sumOfInverse;
    const weights = plain.map((w, i) => w + missing * this.inverse.getRow(i).reduce((a, b) => a + b, 0));
    let explained = 0;
    for (let i = 0; i < n; i += 1) explained += plain[i] * k[i];
    return { weights, variance: Math.max(0, 1 - explained + missing * missing * this.sumOfInverse) };
  }

  /** What each plate misses when the others predict it: one column of values, one error a plate. */
  leaveOneOut(values: ArrayLike<number>): Float64Array {
    const n = this.places.length;
    return Float64Array.from({ length: n }, (_, i) => {
      let sum = 0;
      for (let j = 0; j < n; j += 1) sum += this.centred.get(i, j) * values[j];
      return sum / this.centred.get(i, i);
    });
  }

  /** Variance of the lens's changes as a column of values shows it; 0 for a single plate, which shows none. */
  spread(values: ArrayLike<number>): number {
    const n = this.places.length;
    if (n < 2) return 0;
    let sum = 0;
    for (let i = 0; i < n; i += 1) for (let j = 0; j < n; j += 1) sum += values[i] * this.centred.get(i, j) * values[j];
    return Math.max(0, sum / (n - 1));
  }
}
