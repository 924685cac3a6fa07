import { NO_DISTORTION } from '../lens';
import type { SolveResult } from '../solve';
import type { PlacedWalk } from './place-walk';

/**
 * A placed walk in the shape of a solved shot, a picture a frame, for what draws and writes solves. Sizes and focal lengths of its pictures are their own
 * and stand in the walk; of a frame here they say only how wide a picture looks.
 */
export function walkAsSolve(walk: PlacedWalk, sizes: readonly { widthPx: number; heightPx: number }[]): SolveResult {
  const [first] = sizes;
  return {
    motion: walk.turnsOnly ? 'pan' : 'free',
    status: walk.status,
    reason: walk.reason,
    width: first.widthPx,
    height: first.heightPx,
    focalMm: null,
    sigmaFocalMm: null,
    focalMode: 'guided',
    distortion: { ...NO_DISTORTION, mode: 'none', normalisedWithMm: 1, follows: false },
    rmsPx: null,
    rmsPerMille: null,
    noisePx: walk.noisePx,
    frames: walk.stills.flatMap((s, i) =>
      s ? [{ frame: i + 1, position: s.position, rotation: s.rotation, focalMm: 0, rmsPx: s.rmsPx, tracks: s.places, sigmaPositionM: s.sigma, covarianceM2: null }] : [],
    ),
    points: walk.places.map((p, i) => ({ track: p.mark ?? `w${i + 1}`, position: p.position, sigmaM: p.sigma, covarianceM2: null, rmsPx: 0, observations: p.stills })),
    trimmed: [],
    anchoring: { scale: walk.scaledBy === null ? null : 1, sigmaScalePct: walk.sigmaScalePct, datum: [], residuals: [] },
    warnings: walk.warnings,
    iterations: 0,
  };
}
