import { SOLVE } from '../warnings';
import { leansWhole } from './leans';
import type { SolveResult } from './result';

/** Of the picture's width: what is followed at all is followed nearer than this, 4 px of 2,048. */
const MISFIT_SHARE = 0.002;
/** White errors as large are tracks that were followed badly, which their own sigmas say. */
const DRIFTS = 4;

/** Errors so large that go along the tracks are no noise of theirs. */
export const isMisfit = ({ noisePx, driftFactor = 1, width }: SolveResult): boolean => Boolean(noisePx) && noisePx! >= MISFIT_SHARE * width && driftFactor >= DRIFTS;

/** Tracks that no camera fits as it was recorded, and nothing that was asked explains: such a solve holds all its frames and is none to judge by. */
export function toldMisfit(solved: SolveResult): SolveResult {
  if (solved.status === 'failed' || leansWhole(solved) || !isMisfit(solved)) return solved;
  const reason = `the tracks are off by ${solved.noisePx!.toFixed(0)} px, slowly along each of them: no camera fits them as it was recorded, and neither another lens nor late rows explain it`;
  return {
    ...solved,
    misfitPx: solved.noisePx!,
    status: 'partial',
    reason: solved.reason ? `${solved.reason}; ${reason}` : reason,
    warnings: [SOLVE.TRACKS_MISFIT(reason), ...solved.warnings.filter((w) => w.code !== 'TRACKS_DRIFT')],
  };
}
