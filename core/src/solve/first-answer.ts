import { lengths, residualsAt } from './bundle-problem';
import type { Observations } from './observations';
import { BundleCovariance } from './covariance';
import type { FocalRule, Reconstruction } from './reconstruction';

/** What is known after a few frames and tracks, before the rest is placed and adjusted. */
export interface FirstAnswer {
  focalMm: number;
  /** one sigma; null where the focal length is held, or these frames do not tell it */
  sigmaFocalMm: number | null;
  noisePx: number;
}

const ITERATIONS = 12;
/** Known no better, a focal length is no answer. */
const TELLS = 0.1;
/** Few frames with short tracks know less than they say: errors of the model go into them whole. */
const CAREFUL = 3;

/**
 * The keyframes alone, let go of what pulled them to where they began.
 * @param noiseOf one-axis noise by the residuals' lengths
 */
export function firstAnswer(started: Reconstruction, obs: Observations, rule: FocalRule, noiseOf: (residualPx: Float64Array) => number): FirstAnswer {
  const first = started.carryTo(obs, rule);
  first.adjustAll(2, ITERATIONS, 1e-4);
  return answerOn(first, noiseOf);
}

/** What some frames say as they lie; default all that are placed. */
export function answerOn(r: Reconstruction, noiseOf: (residualPx: Float64Array) => number, frames?: ReadonlySet<number>): FirstAnswer {
  const { problem, state } = r.toBundle(frames);
  const noisePx = noiseOf(lengths(residualsAt(problem, state)));
  const variance = problem.focal.held ? null : (BundleCovariance.compute(problem, state)?.focalVariance() ?? null);
  const sigma = variance === null ? null : CAREFUL * noisePx * Math.sqrt(variance);
  return { focalMm: r.focalMm, sigmaFocalMm: sigma !== null && sigma < TELLS * r.focalMm ? sigma : null, noisePx };
}
