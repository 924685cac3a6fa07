import { once, SOLVE } from '../warnings';
import type { SolveResult } from './result';
import type { SolveSetup } from './setup';
import { sigmaByTracks } from './unmeasured-lens';

/** A focal length known to no more than this share of itself ran off along a valley, or nothing in the move holds it. */
const KNOWN_SHARE = 0.25;
/** It was recorded to this share, as far as a second try is told. */
const NEAR_SHARE = 0.25;
/** Known to no more than itself: the move tells nothing of it. */
const NOT_TOLD_SHARE = 1;
/** The second answer leaves this much more noise at most: where nothing tells, both fit. */
const AS_GOOD = 1.05;
/** A focal length that is off from the record by more than this, and by so many sigmas, contradicts it: that is not said from one start. */
const AGREES_SHARE = 0.05;
const AGREES_SIGMAS = 3;
/** Where else it is begun then, over what was found. */
const OTHER_STARTS = [0.72, 1.39];
/** A place counts as not explained from so many times the noise. */
const UNEXPLAINED_NOISES = 5;
/** Another answer is taken where it leaves less than this of the whole. */
const BETTER = 0.9;
/** Places of a shot beyond which a solve takes a minute, and is not done three times. */
const MOST_PLACES = 150_000;

/** Solves the same tracks by another record, without a third try. */
export interface Again {
  /** as far as its cameras and tracks go: what it is compared by */
  asStart: (setup: SolveSetup) => SolveResult;
  /** with all that is asked of a solve that is told */
  whole: (setup: SolveSetup) => SolveResult;
}

/** Of a focal length by the tracks: what its lens may do is the same from every start. */
const knownShare = (s: SolveResult): number => (sigmaByTracks(s) ?? Infinity) / (s.focalMm ?? 1);
const moved = (s: SolveResult): boolean => s.status !== 'failed' && s.motion !== 'pan' && s.focalMm !== null;

/** What else is tried before a free focal length is told; null: nothing, it is near the record and well known. */
export function asksAgain(solved: SolveResult, { focal, adapterFactor }: SolveSetup, places: number): 'ran away' | 'contradicts' | null {
  if (focal.mode !== 'free' || !moved(solved)) return null;
  // each step fits a little better, and the floor lies elsewhere: the picture is flattened or stretched without end
  if (knownShare(solved) > KNOWN_SHARE) return 'ran away';
  const off = Math.abs(solved.focalMm! - focal.mm * (adapterFactor ?? 1));
  const contradicts = off > AGREES_SHARE * solved.focalMm! && off > AGREES_SIGMAS * (sigmaByTracks(solved) ?? 0);
  return contradicts && places <= MOST_PLACES ? 'contradicts' : null;
}

/** The same record, begun at another focal length. What a plate said was said of the recorded one. */
function begun(setup: SolveSetup, focal: SolveSetup['focal']): SolveSetup {
  const { distortion } = setup;
  if (!distortion?.mode || distortion.mode === 'none') return { ...setup, focal };
  return { ...setup, focal, distortion: { ...distortion, focalMm: distortion.focalMm ?? setup.focal.mm * (setup.adapterFactor ?? 1) } };
}

/**
 * Tries once more from near the record: held loosely to it at first, then free from where that ended.
 * @returns the better known of the two, and what was tried
 */
export function triedNearRecord(solved: SolveResult, setup: SolveSetup, again: Again): SolveResult {
  const { mm } = setup.focal;
  const near = again.asStart(begun(setup, { mode: 'guided', mm, sigmaMm: NEAR_SHARE * mm }));
  if (near.status === 'failed' || near.focalMm === null) return solved;
  const from = begun(setup, { mode: 'free', mm: near.focalMm / (setup.adapterFactor ?? 1) });
  const second = again.asStart(from);
  const better = moved(second) && knownShare(second) < knownShare(solved) && (second.noisePx ?? Infinity) <= AS_GOOD * (solved.noisePx ?? 0);
  if (knownShare(better ? second : solved) > NOT_TOLD_SHARE) return heldLoosely(solved, setup, again);
  if (!better) return solved;
  const told = again.whole(from);
  return { ...told, warnings: once([SOLVE.TRIED_NEAR_RECORD(mm, solved.focalMm!), ...told.warnings]) };
}

/** Any length fits: a path by a sevenfold one would be drawn, and measured in. It goes by the record, loosely, and is known no better than that. */
function heldLoosely(solved: SolveResult, setup: SolveSetup, again: Again): SolveResult {
  const { mm } = setup.focal;
  const told = again.whole(begun(setup, { mode: 'guided', mm, sigmaMm: NEAR_SHARE * mm }));
  if (!moved(told) || (told.noisePx ?? Infinity) > AS_GOOD * (solved.noisePx ?? 0)) return solved;
  const warning = SOLVE.FOCAL_NOT_TOLD(mm * (setup.adapterFactor ?? 1), 100 * NEAR_SHARE, solved.focalMm!);
  return { ...told, focalMode: 'free', warnings: once([warning, ...told.warnings]) };
}

/** Mean square of what a solve leaves of all places, px²; what it left out, and what lies far off, counts as far off. */
function unexplained(s: SolveResult, places: number, noisePx: number): number {
  const most = (UNEXPLAINED_NOISES * noisePx) ** 2;
  const placed = s.points.reduce((sum, p) => sum + p.observations, 0);
  const left = s.points.reduce((sum, p) => sum + p.observations * Math.min(p.rmsPx ** 2, most), 0);
  return (left + Math.max(0, places - placed) * most) / places;
}

/**
 * A solve may stop in a hollow beside the floor: a world that is flatter or deeper, without the tracks that speak against it. Before it contradicts
 * what was written down it is begun from a shorter and from a longer focal length, and the one that explains most of all tracks is told.
 * @param places of tracks in the picture, all frames together
 */
export function triedOtherStarts(solved: SolveResult, setup: SolveSetup, again: Again, places: number): SolveResult {
  let best = solved;
  let from = setup;
  for (const by of OTHER_STARTS) {
    const begunAt = begun(setup, { ...setup.focal, mm: (by * solved.focalMm!) / (setup.adapterFactor ?? 1) });
    const other = again.asStart(begunAt);
    if (!moved(other)) continue;
    const noisePx = Math.min(best.noisePx ?? Infinity, other.noisePx ?? Infinity);
    if (unexplained(other, places, noisePx) < BETTER * unexplained(best, places, noisePx)) [best, from] = [other, begunAt];
  }
  if (best === solved) return solved;
  const told = again.whole(from);
  return { ...told, warnings: once([SOLVE.TRIED_OTHER_STARTS(solved.focalMm!), ...told.warnings]) };
}
