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
  const { residualPx } = first.adjustAll(2, ITERATIONS, 1e-4);
  const noisePx = noiseOf(residualPx);
  const { problem, state } = first.toBundle();
  const variance = problem.focal.held ? null : (BundleCovariance.compute(problem, state)?.focalVariance() ?? null);
  const sigma = variance === null ? null : CAREFUL * noisePx * Math.sqrt(variance);
  return { focalMm: first.focalMm, sigmaFocalMm: sigma !== null && sigma < TELLS * first.focalMm ? sigma : null, noisePx };
}
