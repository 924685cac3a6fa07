import { LENS_MODELS, type DistortionModel } from '../lens';
import { fitLens, type LensFit } from './fit-lens';
import { unknownsOf } from './lens-unknowns';
import type { GridFrame, GridObservation } from './observation';
import { thinned } from './sample';

/**
 * Chooses the terms of one model by comparing all sensible sets, since adding one term at a time goes astray: on a tilted plate
 * shot through a forgotten reducer a shifted centre looks like a small gain at first and hides that the focal length is wrong.
 * Rule    Bayesian information criterion, n ln(RSS/n) + p ln n, with 5 more for each term: a set must be better by far more than chance
 *         ("very strong", Kass & Raftery 1995, is 10 for two terms). n counts corners, not coordinates, since a corner's errors go together.
 *         500 corners suffice for the choice; all are used for the fit.
 */
export function selectTerms(observations: readonly GridObservation[], frame: GridFrame, model: DistortionModel = 'radial'): LensFit {
  const best = chooseTerms(thinned(observations, 500), frame, model);
  // the sample's fit is robust already: what lies beyond 4 sigma of it is dropped, and one plain fit follows
  return fitLens(observations, frame, { model, terms: best.terms, start: best, robustRounds: 0 });
}

/** The best set of terms of a model on these observations, fitted to them. */
export function chooseTerms(sample: readonly GridObservation[], frame: GridFrame, model: DistortionModel): LensFit {
  let best: LensFit | null = null as LensFit | null;
  let bestScore = Infinity;
  let plainest: LensFit | undefined;
  for (const terms of LENS_MODELS[model].candidates) {
    // k3 is only worth a try where k2 already was
    if (terms.includes('k3') && !best?.terms.includes('k2')) continue;
    // from the plainest set's poses: all sets lie near it
    const fit = fitLens(sample, frame, { model, terms, start: plainest });
    plainest ??= fit;
    const value = score(fit);
    if (value < bestScore) {
      best = fit;
      bestScore = value;
    }
  }
  return best!;
}

function score(fit: LensFit): number {
  // robust sum of squares over all corners: a set must not win by throwing corners away
  const n = fit.used.length;
  const cap = (4 * Math.max(fit.sigmaPx, 0.005)) ** 2;
  let sum = 0;
  for (let i = 0; i < n; i += 1) {
    const square = fit.residuals[2 * i] ** 2 + fit.residuals[2 * i + 1] ** 2;
    sum += square < cap ? square : cap; // NaN, a place that the model does not reach, counts in full
  }
  return n * Math.log(Math.max(sum, 1e-12) / n) + unknownsOf(fit.model, fit.terms).length * (Math.log(n) + 5);
}
