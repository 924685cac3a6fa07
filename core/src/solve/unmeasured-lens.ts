import { evaluateBundle, Linearisation } from './bundle-problem';
import { weighRows, type FactoredBundle } from './covariance';
import { alongColumn, gathered, type UnknownsColumn } from './track-clusters';

/** A lens without a plate: one standard deviation of its bend moves the corner of the picture by so much of its distance from the middle. */
const USUAL_AT_CORNER = 0.015;

/** What a bundle would do if its lens bent. */
export interface BendResponse {
  /** derivatives of all unknowns by the first radial coefficient */
  moves: UnknownsColumn;
  /** of the coefficient with everything else free, per unit variance of a residual */
  information: number;
  /** what the residuals ask for, to first order */
  asked: number;
}

/**
 * What all unknowns would do if the lens bent: they follow the coefficient along the floor of the adjustment, and take up what they can of it.
 * Source  implicit differentiation of the normal equations, dx = −(JᵀJ)⁻¹ Jᵀ j; what is left of j is all that tells the coefficient (partitioned
 *         inverse; Björck, Numerical Methods for Least Squares Problems, 1996, sec. 2.3).
 * @param factored a bundle of a straight lens at its floor
 */
export function bendResponse({ problem, state, huberPx, system, lin }: FactoredBundle): BendResponse {
  const freeLens = [...(problem.freeLens ?? []), { name: 'k1' as const }];
  const bent = { problem: { ...problem, freeLens }, state: { ...state, lens: Float64Array.from([...(state.lens ?? []), 0]) } };
  const there = new Linearisation(problem.camera.length);
  evaluateBundle(bent.problem, bent.state, there, true);
  weighRows(bent.problem, bent.state, there, huberPx);
  // of each row the lens derivatives of u, then those of v; the coefficient is the last of them
  const j = Float64Array.from(there.residual, (_, row) => there.jLens[freeLens.length * (row + 1) - 1]);
  const taken = system.solve(
    ...gathered(
      problem,
      lin,
      j,
      Array.from(problem.camera, (_, i) => i),
    ),
  );
  const takenRows = alongColumn(problem, lin, taken);
  let [information, score] = [0, 0];
  j.forEach((by, row) => {
    const left = by - takenRows[row];
    information += by * left;
    score += left * lin.residual[row];
  });
  const back = (x: Float64Array) => x.map((value) => -value);
  const moves = { camera: back(taken.camera), point: back(taken.point), focal: -taken.focal, zoom: back(taken.zoom), lens: back(taken.lens) };
  return { moves, information, asked: -score / information };
}

/**
 * How far from nought the first radial coefficient of a lens may be that nobody measured and a solve took as straight: what lenses usually have, as far as
 * the tracks leave it open.
 * Method  posterior of a normal prior about nought and what the tracks say; since the answer keeps nought, what they ask for counts as an error of it.
 * @param cornerSlope tangent of the angle between the axis and the corner of the picture
 * @param variance of a residual, px², with what goes along the tracks
 * @returns root of its mean square
 */
export function unmeasuredBend({ information, asked }: BendResponse, cornerSlope: number, variance: number): number {
  const usual = (USUAL_AT_CORNER / cornerSlope ** 2) ** 2;
  const told = variance / information;
  const kept = usual / (usual + told);
  return Math.sqrt((kept * asked) ** 2 + kept * told);
}
