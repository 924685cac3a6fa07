import { inverse, Matrix } from 'ml-matrix';
import { dampedStep, factorDense, forwardDense } from '../estimate';
import { applySimilarity, expSO3, mulMat3, type Similarity, type Vec3 } from '../math';
import type { AnchorInput } from './anchor-solve';
import { misfitsOf, placeOf, type FactSpread } from './fact-spread';
import type { ScalarFact } from './facts';
import { pseudoInverse7, symmetrise } from './pseudo-inverse';

/** Added to the variance of a fact that is left out: a hundred metres weigh nothing against millimetres, and keep the matrix regular. */
export const LEFT_OUT_VARIANCE_M2 = 1e4;
const MOST_STEPS = 30;

/** The similarity that the facts give, all of them but those that are left out. */
export interface FactFit {
  similarity: Similarity;
  /** inverse covariance of the facts */
  weight: Matrix;
  /** how each fact's value follows rotation, log scale and translation, n × 7 */
  design: Matrix;
  /** over the directions that the facts determine, 7 × 7 */
  normalInverse: Matrix;
  /** misfit of what is kept, in its own sigmas squared */
  misfit: number;
}

/** d place / d(rotation, log scale, translation) of the similarity, 3 × 7; it turns and grows about its own translation. */
export function datumJacobian(similarity: Similarity, p: Vec3): Matrix {
  const [x, y, z] = [p[0] - similarity.translation[0], p[1] - similarity.translation[1], p[2] - similarity.translation[2]];
  return new Matrix([
    [0, z, -y, x, 1, 0, 0],
    [-z, 0, x, y, 0, 1, 0],
    [y, -x, 0, z, 0, 0, 1],
  ]);
}

/** How a fact's value follows the seven parameters; into `out` from `to`. */
function designRow(input: AnchorInput, f: ScalarFact, similarity: Similarity, out: Float64Array | number[], to: number): number {
  const places = f.places.map((q) => applySimilarity(similarity, placeOf(input, q)));
  const { valueM, gradients } = f.evaluate(places);
  const t = similarity.translation;
  for (let k = 0; k < 7; k += 1) out[to + k] = 0;
  places.forEach((p, q) => {
    const [x, y, z] = [p[0] - t[0], p[1] - t[1], p[2] - t[2]];
    const [a, b, c] = gradients[q];
    out[to] += -z * b + y * c;
    out[to + 1] += z * a - x * c;
    out[to + 2] += -y * a + x * b;
    out[to + 3] += x * a + y * b + z * c;
    out[to + 4] += a;
    out[to + 5] += b;
    out[to + 6] += c;
  });
  // by the scale, a level mark counts as lying on the ground: its own unevenness would say "smaller", since shrinking the set to a
  // point makes every floor even, and a dozen marks put down to 5 mm then outvoted a measured length
  if (f.kind === 'level') out[to + 3] += f.measuredM - places[0][1];
  return f.measuredM - valueM;
}

function designOf(input: AnchorInput, list: readonly ScalarFact[], similarity: Similarity): Matrix {
  const design = Matrix.zeros(list.length, 7);
  const row = new Float64Array(7);
  list.forEach((f, i) => {
    designRow(input, f, similarity, row, 0);
    row.forEach((v, k) => design.set(i, k, v));
  });
  return design;
}

const moved = (s: Similarity, d: ArrayLike<number>): Similarity => ({
  scale: s.scale * Math.exp(Math.max(-0.5, Math.min(0.5, d[3]))),
  rotation: mulMat3(expSO3([d[0], d[1], d[2]]), s.rotation),
  translation: [s.translation[0] + d[4], s.translation[1] + d[5], s.translation[2] + d[6]],
});

/** Enough to tell one answer from another; the one that is taken is fitted to the end. */
const MOST_ROUGH_STEPS = 15;
const ROUGH_STEP = 1e-6;
/** Keeps directions regular of which no kept fact speaks; they get no pull and so no step. */
const RIDGE = 1e-9;

/**
 * The facts that are kept, fitted roughly, with their misfit in their own sigmas squared: hundreds of answers are compared by it.
 * @param evenAt scale at which level marks are as uneven as their tolerance says; they are taken as uneven in proportion at any other, so
 *               that an answer which shrinks the set is not liked better for its flatter floor
 */
export function fitRoughly(
  input: AnchorInput,
  all: readonly ScalarFact[],
  spread: FactSpread,
  start: Similarity,
  isOut: (fact: number) => boolean,
  evenAt: number,
): { similarity: Similarity; misfit: number; off: Float64Array } {
  const kept = all.flatMap((_, i) => (isOut(i) ? [] : [i]));
  const n = kept.length;
  let similarity = start;
  let misfit = Infinity;
  // of each kept fact by itself, before it is weighed with the others
  const off = new Float64Array(all.length);
  const l = new Float64Array(n * n);
  const y = new Float64Array(n * 7);
  const r = new Float64Array(n);
  for (let step = 0; step < MOST_ROUGH_STEPS; step += 1) {
    const grown = (similarity.scale / spread.similarity.scale) ** 2;
    for (let i = 0; i < n; i += 1) {
      r[i] = designRow(input, all[kept[i]], similarity, y, 7 * i);
      for (let j = 0; j <= i; j += 1) l[i * n + j] = grown * 0.5 * (spread.inner.get(kept[i], kept[j]) + spread.inner.get(kept[j], kept[i]));
      l[i * n + i] += (all[kept[i]].sigmaM * (all[kept[i]].kind === 'level' ? similarity.scale / evenAt : 1)) ** 2;
    }
    for (let i = 0; i < n; i += 1) off[kept[i]] = r[i] ** 2 / l[i * n + i];
    if (!factorDense(l, n)) return { similarity, misfit: Infinity, off };
    forwardDense(l, n, y, 7);
    forwardDense(l, n, r);
    misfit = 0;
    const normal = new Float64Array(49);
    const pull = new Float64Array(7);
    for (let i = 0; i < n; i += 1) {
      misfit += r[i] * r[i];
      for (let a = 0; a < 7; a += 1) {
        const v = y[7 * i + a];
        pull[a] -= v * r[i];
        for (let b = 0; b <= a; b += 1) normal[7 * a + b] += v * y[7 * i + b];
      }
    }
    if (!Number.isFinite(misfit)) return { similarity, misfit: Infinity, off };
    const d = dampedStep(normal, pull, 7, RIDGE);
    if (!d) return { similarity, misfit: Infinity, off };
    similarity = moved(similarity, d);
    if (Math.hypot(...d) < ROUGH_STEP) break;
  }
  return { similarity, misfit, off };
}

/** Inverse covariance of the facts at a scale: what the solve knows of them grows with it. */
function weightAt(list: readonly ScalarFact[], spread: FactSpread, scale: number, isOut: (fact: number) => boolean): Matrix {
  const sigma = spread.inner.clone().mul((scale / spread.similarity.scale) ** 2);
  list.forEach((f, i) => sigma.set(i, i, sigma.get(i, i) + f.sigmaM ** 2 + (isOut(i) ? LEFT_OUT_VARIANCE_M2 : 0)));
  return inverse(symmetrise(sigma));
}

/** Gauss–Newton on rotation, log scale and translation; directions that no fact speaks of stay as they are. */
export function fitFacts(input: AnchorInput, list: readonly ScalarFact[], spread: FactSpread, start: Similarity, isOut: (fact: number) => boolean): FactFit {
  let similarity = start;
  if (list.length === 0) return { similarity, weight: Matrix.zeros(0, 0), design: Matrix.zeros(0, 7), normalInverse: Matrix.zeros(7, 7), misfit: 0 };
  let weight = weightAt(list, spread, similarity.scale, isOut);
  for (let step = 0; step < MOST_STEPS; step += 1) {
    const design = designOf(input, list, similarity);
    const htw = design.transpose().mmul(weight);
    const v = misfitsOf(input, list, similarity).map((m) => -m);
    const d = pseudoInverse7(htw.mmul(design)).mmul(htw).mmul(Matrix.columnVector(v)).to1DArray();
    similarity = moved(similarity, d);
    weight = weightAt(list, spread, similarity.scale, isOut);
    if (Math.hypot(...d) < 1e-11) break;
  }
  const design = designOf(input, list, similarity);
  const normalInverse = pseudoInverse7(design.transpose().mmul(weight).mmul(design));
  const v = Matrix.columnVector(misfitsOf(input, list, similarity));
  const misfit = v.transpose().mmul(weight).mmul(v).get(0, 0);
  return { similarity, weight, design, normalInverse, misfit: Number.isFinite(misfit) ? misfit : Infinity };
}

/** What every fact's value would be by all the others, minus what was measured. */
export interface Snooped {
  gap: number | null;
  sigmaGap: number | null;
  redundancy: number;
}

/** Each fact against all others that are kept, at the fit and without moving it: Baarda 1968; correlated weights as in Förstner 1987. */
export function snoopFacts(input: AnchorInput, list: readonly ScalarFact[], fit: FactFit): Snooped[] {
  if (list.length === 0) return [];
  const { weight: w, design, normalInverse, similarity } = fit;
  const q = inverse(w).sub(design.mmul(normalInverse).mmul(design.transpose()));
  const projected = w.mmul(q).mmul(w);
  const pull = projected.mmul(Matrix.columnVector(misfitsOf(input, list, similarity)));
  const share = q.mmul(w);
  return list.map((_, i) => {
    const control = projected.get(i, i);
    const redundancy = Math.max(0, Math.min(1, share.get(i, i)));
    // below a thousandth of its own weight nothing else speaks of it; what is left is rounding
    const checked = control > 0 && redundancy > 1e-3;
    return { gap: checked ? pull.get(i, 0) / control : null, sigmaGap: checked ? 1 / Math.sqrt(control) : null, redundancy };
  });
}
