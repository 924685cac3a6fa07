import { CholeskyDecomposition, inverse, Matrix } from 'ml-matrix';
import { USUAL_SIGMA } from '../facts';
import { NO_DISTORTION } from '../lens';
import { bendEnds, cornerMm } from '../optics';
import { evaluateBundle, Linearisation, profileAt, type BundleProblem } from './bundle-problem';
import { weighRows, type FactoredBundle } from './covariance';
import type { UnknownsColumn } from './schur';
import type { SolveLens } from './setup';
import { alongColumn, gathered } from './track-clusters';

/** What a bundle would do if its lens bent: by one coefficient, or of a zoom by one at either end; a witness by another of its own. */
export interface BendResponse {
  /** of each coefficient whose it is */
  of: (keyof UnmeasuredLenses)[];
  /** derivatives of all unknowns by each coefficient */
  moves: UnknownsColumn[];
  /** of the coefficients with everything else free, per unit variance of a residual */
  information: Matrix;
  /** what the residuals ask for, to first order */
  asked: Matrix;
}

/** Of lenses that nobody measured one standard deviation of the first radial coefficient; null: it was measured, or there is none. */
export interface UnmeasuredLenses {
  main: number | null;
  /** of a witness that is solved with the main camera */
  witness: number | null;
}

/** What lenses usually have, as one standard deviation of the first radial coefficient, normalised as the map of the lens is; null: it was measured. */
export function usualBend({ unmeasured, map, geometry }: SolveLens): number | null {
  return unmeasured ? USUAL_SIGMA.bendAtCorner * (map.normaliserMm / cornerMm(geometry)) ** 2 : null;
}

/** Derivatives of what a straight witness sees by its own bend, into the last of the lens's columns, whose rows of the witness are empty. */
function bendWitness({ pair, xPx, yPx, weight }: BundleProblem, lin: Linearisation, columns: number): void {
  if (!pair) return;
  const { lens } = pair;
  const g = lens.follows ? pair.focalMm : lens.normaliserMm;
  for (let i = 0; i < xPx.length; i += 1) {
    if (!pair.of[i]) continue;
    const root = Math.sqrt(weight[i]);
    const [x, y] = [lin.residual[2 * i] / root + xPx[i] - lens.cx, lin.residual[2 * i + 1] / root + yPx[i] - lens.cy];
    const r2 = (x / (g * lens.pxPerMmX)) ** 2 + (y / (g * lens.pxPerMmY)) ** 2;
    lin.jLens[columns * (2 * i + 1) - 1] = x * r2 * root;
    lin.jLens[columns * (2 * i + 2) - 1] = y * r2 * root;
  }
}

/**
 * What all unknowns would do if the lens bent: they follow its first radial coefficient along the floor of the adjustment, and take up what they can of it.
 * Source  implicit differentiation of the normal equations, dx = −(JᵀJ)⁻¹ Jᵀ j; what is left of j is all that tells the coefficient (partitioned
 *         inverse; Björck, Numerical Methods for Least Squares Problems, 1996, sec. 2.3).
 * @param factored a bundle of straight lenses at its floor
 * @param asked which of them may bend
 */
export function bendResponse({ problem, state, huberPx, system, lin }: FactoredBundle, asked: Record<keyof UnmeasuredLenses, boolean>): BendResponse {
  const freeLens = [...(problem.freeLens ?? []), { name: 'k1' as const }];
  // where only the witness is asked, the main lens has a map of its own, of a model that may know no k1; its rows take no part
  const lens = !asked.main ? { ...problem.lens, distortion: NO_DISTORTION } : problem.lens;
  const bent = { problem: { ...problem, lens, freeLens }, state: { ...state, lens: Float64Array.from([...(state.lens ?? []), 0]) } };
  const there = new Linearisation(problem.camera.length);
  evaluateBundle(bent.problem, bent.state, there, true);
  bendWitness(problem, there, freeLens.length);
  weighRows(bent.problem, bent.state, there, huberPx);
  const rows = Int32Array.from(problem.camera, (_, i) => i);
  const back = (x: Float64Array) => x.map((value) => -value);
  const ofWitness = (sighting: number): boolean => problem.pair?.of[sighting] === 1;
  const lenses: { of: keyof UnmeasuredLenses; share: (sighting: number) => number }[] = [];
  const focals = Array.from({ length: problem.cameraCount }, (_, c) => profileAt(problem, state, c));
  if (asked.main) for (const end of bendEnds(focals)) lenses.push({ of: 'main', share: (i) => (ofWitness(i) ? 0 : end[problem.camera[i]]) });
  if (asked.witness) lenses.push({ of: 'witness', share: (i) => (ofWitness(i) ? 1 : 0) });
  const ends = lenses.map(({ share }) => {
    // of each row the lens derivatives of u, then those of v; the coefficient is the last of them
    const by = Float64Array.from(there.residual, (_, row) => share(row >> 1) * there.jLens[freeLens.length * (row + 1) - 1]);
    const taken = system.solve(...gathered(problem, lin, by, rows));
    const takenRows = alongColumn(problem, lin, taken);
    const left = by.map((value, row) => value - takenRows[row]);
    return { by, left, moves: { camera: back(taken.camera), point: back(taken.point), focal: -taken.focal, zoom: back(taken.zoom), lens: back(taken.lens) } };
  });
  const dot = (a: Float64Array, b: Float64Array) => a.reduce((sum, value, row) => sum + value * b[row], 0);
  const information = new Matrix(ends.map(({ by }) => ends.map(({ left }) => dot(by, left))));
  const score = Matrix.columnVector(ends.map(({ left }) => -dot(left, lin.residual)));
  return { of: lenses.map(({ of }) => of), moves: ends.map(({ moves }) => moves), information, asked: inverse(information, true).mmul(score) };
}

/**
 * How far from nought the first radial coefficients of a lens may be that nobody measured and a solve took as straight: what lenses usually have, as far as
 * the tracks leave it open.
 * Method  posterior of a normal prior about nought and what the tracks say; since the answer keeps nought, what they ask for counts as an error of it.
 * @param usual of each coefficient one standard deviation beforehand
 * @param variance of a residual, px², with what goes along the tracks
 * @returns a square root of their mean squares: each column is one independent way in which they may be off
 */
export function unmeasuredBend({ information, asked }: Pick<BendResponse, 'information' | 'asked'>, usual: readonly number[], variance: number): Matrix {
  const told = Matrix.div(information, variance);
  const kept = inverse(Matrix.add(told, Matrix.diag(usual.map((sigma) => 1 / sigma ** 2))));
  const mean = kept.mmul(told).mmul(asked);
  const square = kept.add(mean.mmul(mean.transpose()));
  // symmetric but for what rounding made of it
  return new CholeskyDecomposition(Matrix.add(square, square.transpose()).div(2)).lowerTriangularMatrix;
}

/** The ways in which all unknowns may be off by it, each one standard deviation long over that of a residual. */
export function unmeasuredColumns(response: BendResponse, usual: UnmeasuredLenses, variance: number): UnknownsColumn[] {
  const beforehand = response.of.map((lens) => usual[lens]!);
  const root = unmeasuredBend(response, beforehand, variance).div(Math.sqrt(variance));
  return response.moves.map((_, way) => {
    const mixed = (of: (moves: UnknownsColumn) => Float64Array) => response.moves.map((m, end) => of(m).map((x) => x * root.get(end, way))).reduce((sum, more) => sum.map((x, k) => x + more[k]));
    return { camera: mixed((m) => m.camera), point: mixed((m) => m.point), zoom: mixed((m) => m.zoom), lens: mixed((m) => m.lens), focal: mixed((m) => Float64Array.of(m.focal))[0] };
  });
}

/** What the tracks alone leave open of a focal length, whatever its lens may do, mm. */
export const sigmaByTracks = ({ sigmaFocalMm, sigmaByLensMm }: { sigmaFocalMm: number | null; sigmaByLensMm?: number | null }): number | null =>
  sigmaFocalMm === null ? null : Math.sqrt(Math.max(0, sigmaFocalMm ** 2 - (sigmaByLensMm ?? 0) ** 2));
