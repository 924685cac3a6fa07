import { CoreError } from '../errors';
import type { SolveResult } from './result';
import { readSolveSetup, type SolveSetup } from './setup';

/**
 * The witness of a pair as a solve of its own, in the same world: for everything that takes one camera.
 * @throws CoreError INVALID_OPTION for a solve of one camera
 */
export function witnessSolve(solve: SolveResult, setup: SolveSetup): SolveResult {
  const { witness, parts: _parts, found: _found, ...rest } = solve;
  if (!witness) throw new CoreError('INVALID_OPTION', 'This solve is of one camera', 'witness');
  const own = witness;
  const lens = readSolveSetup(setup);
  return {
    ...rest,
    width: lens.geometry.widthPx,
    height: lens.geometry.heightPx,
    focalMm: own.focalMm,
    sigmaFocalMm: own.sigmaFocalMm,
    focalMode: (setup.focal.mode ?? 'held') as SolveResult['focalMode'],
    distortion: { ...lens.map.distortion, mode: lens.hasDistortion ? 'held' : 'none', normalisedWithMm: lens.map.normaliserMm, follows: false },
    rmsPx: own.rmsPx,
    rmsPerMille: (1000 * own.rmsPx) / lens.geometry.widthPx,
    frames: own.frames,
  };
}
