import { SOLVE, type Warning } from '../warnings';
import { adjust } from './adjust';
import type { FocalRule, Reconstruction } from './reconstruction';
import type { SolveLens } from './setup';

/** Were the coefficients normalised by the recorded focal length (the map is fixed in the picture) or by the true one (it follows)? */
export function chooseNormalisation(r: Reconstruction, lens: SolveLens, rule: FocalRule, warnings: Warning[]): number {
  if (rule.held || !lens.hasDistortion || Math.abs(r.focalMm / lens.recordedMm - 1) < 0.003) return 0;
  const { problem, state, frameOf, trackOf } = r.toBundle();
  const fixed = adjust(problem, state, { huberPx: 3, maxIterations: 3 });
  const follows = adjust({ ...problem, lens: { ...problem.lens, follows: true } }, state, { huberPx: 3, maxIterations: 15, costTolerance: 1e-6 });
  if (follows.finalCost >= 0.98 * fixed.finalCost) return fixed.iterations + follows.iterations;
  warnings.push(SOLVE.DISTORTION_FOLLOWS_FOCAL());
  r.lens = { ...r.lens, follows: true };
  r.absorb(follows.state, frameOf, trackOf);
  return fixed.iterations + follows.iterations;
}
