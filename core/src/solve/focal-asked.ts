import { SOLVE } from '../warnings';
import type { SolveResult } from './result';
import type { SolveSetup } from './setup';
import { BENT_FACTOR } from './zoom';

/** A focal length that was held, or guided, and that the tracks contradict: what they ask for, mm. */
export interface FocalAsked {
  mm: number;
  sigmaMm: number;
}

/** Free, the tracks must be plainly quieter, and go along themselves far less; a bend that leaves as little is as good a reason. */
const QUIETER = 0.9;
const WHITER = 0.5;
const THAN_BEND = 0.97;
const LEAST_SIGMAS = 4.5;
/** A lens is made to a per cent: nearer than this nobody is wrong. */
const LEAST_SHARE = 0.015;
const KNOWN_SHARE = 0.1;
/** A solve that loses more frames than this explains them by leaving them out. */
const MOST_FRAMES = 0.9;

/**
 * Was the wrong focal length held? What it does to a solve goes along the tracks as a bend of the lens does, or as a move of a camera that turned.
 * Asked where the errors go along the tracks, by one solve that is free to find it.
 * @param again solves the same tracks by another record
 */
export function focalAsked(solved: SolveResult, setup: SolveSetup, again: (setup: SolveSetup) => SolveResult): FocalAsked | null {
  const { mode = 'held', mm, sigmaMm = 0 } = setup.focal;
  const drift = (s: SolveResult): number => (s.driftFactor ?? 1) - 1;
  if (solved.status === 'failed' || (mode !== 'held' && mode !== 'guided') || !solved.noisePx || !solved.focalMm || drift(solved) < BENT_FACTOR - 1) return null;
  const free = again({ ...setup, focal: { mode: 'free', mm }, anchors: undefined });
  if (free.status === 'failed' || !free.noisePx || !free.focalMm || !free.sigmaFocalMm) return null;
  if (free.bending || free.squeezed || free.zoomed || free.frames.length < MOST_FRAMES * solved.frames.length) return null;
  // a turn has so many unknowns less than a move that no bend of the move is a rival of it
  const simpler = free.motion === 'pan' && solved.motion !== 'pan';
  const asBend = solved.bending && !simpler ? Math.sqrt(solved.bending.remaining) * THAN_BEND : 1;
  if (free.noisePx > Math.min(QUIETER, asBend) * solved.noisePx || drift(free) > WHITER * drift(solved)) return null;
  const recorded = mm * (setup.adapterFactor ?? 1);
  const off = Math.abs(free.focalMm - recorded);
  const known = free.sigmaFocalMm < KNOWN_SHARE * free.focalMm;
  return known && off > LEAST_SHARE * recorded && off > LEAST_SIGMAS * Math.hypot(free.sigmaFocalMm, sigmaMm * (setup.adapterFactor ?? 1)) ? { mm: free.focalMm, sigmaMm: free.sigmaFocalMm } : null;
}

/** A solve by a focal length that the tracks contradict: what it says leans by it, and it says so. */
export function toldAsked(solved: SolveResult, asked: FocalAsked, setup: SolveSetup): SolveResult {
  const recorded = setup.focal.mm * (setup.adapterFactor ?? 1);
  const was = setup.focal.mode === 'guided' ? `it was pulled to ${recorded.toFixed(2)} mm` : `${recorded.toFixed(2)} mm was held`;
  const reason = `the tracks ask for a focal length of ${asked.mm.toFixed(2)} ± ${asked.sigmaMm.toFixed(2)} mm, and ${was}: ${solved.motion === 'pan' ? 'turns and directions' : 'path and points'} lean by it`;
  return {
    ...solved,
    focalAsked: asked,
    // what a wrong length leaves looks like these, too
    bending: null,
    squeezed: null,
    status: 'partial',
    reason: solved.reason ? `${solved.reason}; ${reason}` : reason,
    warnings: [SOLVE.FOCAL_CONTRADICTED(reason), ...solved.warnings.filter((w) => !['LENS_BENDS', 'TRACKS_DRIFT', 'TRACKS_MOVE'].includes(w.code))],
  };
}
