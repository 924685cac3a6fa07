import { once, SOLVE } from '../warnings';
import { isMisfit } from './misfit';
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
/**
 * What fits by the record costs so much more at most, in squares of the noise: four sigmas where the focal length is hardly known, and seven where it
 * seems to be known well, and the record so many sigmas off that it would have to cost four times as much.
 */
const AS_WELL = { hardlyKnown: 16, known: 50, ofSquare: 0.25 };
/** Held to the record that closely then: as far off as a record may be that nobody contradicts. */
const BY_RECORD_SHARE = AGREES_SHARE;
/** Compared by the same tracks, which are nearly all. */
const NEARLY_ALL = 0.95;
/** Tracks that speak for the record hold so much of all places: a thing that goes along may hold the rest. */
const SPEAK_SHARE = 0.4;
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

/**
 * What else is tried before a free focal length is told that ran off or contradicts the record, and what comes of it; the given one where nothing does.
 * @param places of tracks in the picture, all frames together
 */
export function lookedElsewhere(solved: SolveResult, setup: SolveSetup, again: Again, places: number): SolveResult {
  const asks = asksAgain(solved, setup, places);
  if (!asks) return solved;
  const told = asks === 'ran away' ? triedNearRecord(solved, setup, again) : triedOtherStarts(solved, setup, again, places);
  return told.warnings.some((w) => w.code === 'FOCAL_NOT_TOLD') || !asksAgain(told, setup, places) ? told : fitsByRecord(told, setup, again, places);
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

/**
 * A record is contradicted by what fits it worse, and by nothing else. A move that hardly turns fits any focal length; what little the noise makes of
 * one of them looks like knowledge there. And a thing that moves with the camera may fit all together, bent, at some length of its own.
 */
export function fitsByRecord(told: SolveResult, setup: SolveSetup, again: Again, places: number): SolveResult {
  const { mm } = setup.focal;
  const recorded = mm * (setup.adapterFactor ?? 1);
  const held = again.asStart(begun(setup, { mode: 'held', mm }));
  if (!moved(held) || !moved(told)) return told;
  const noisePx = Math.min(held.noisePx ?? Infinity, told.noisePx ?? Infinity);
  const common = inBoth(held, told);
  const asWell = knownShare(told) > KNOWN_SHARE ? AS_WELL.hardlyKnown : Math.min(AS_WELL.known, AS_WELL.ofSquare * ((told.focalMm! - recorded) / sigmaByTracks(told)!) ** 2);
  if (common.share > NEARLY_ALL && common.first - common.second < asWell * noisePx ** 2) {
    const by = again.whole(begun(setup, { mode: 'guided', mm, sigmaMm: BY_RECORD_SHARE * mm }));
    if (!moved(by)) return told;
    return { ...by, focalMode: 'free', warnings: once([SOLVE.FOCAL_NOT_TOLD(recorded, 100 * BY_RECORD_SHARE, told.focalMm!), ...by.warnings]) };
  }
  if (common.places < SPEAK_SHARE * places || common.first > BETTER * common.second) return told;
  const by = again.whole(begun(setup, { mode: 'guided', mm, sigmaMm: NEAR_SHARE * mm }));
  if (!moved(by) || asksAgain({ ...by, focalMode: 'free' }, setup, places) === 'contradicts') return told;
  return { ...by, focalMode: 'free', warnings: once([SOLVE.FOCAL_BY_FEWER(told.focalMm!, told.points.length - held.points.length), ...by.warnings]) };
}

/**
 * A turn that tells nothing of its focal length: a camera that stands still, or that goes along a wall square-on, which by a lens without end is a turn.
 * By the record it is what it was. Null where it is told, or fits worse so.
 */
export function turnByRecord(turned: SolveResult, setup: SolveSetup, again: (setup: SolveSetup) => SolveResult): SolveResult | null {
  const { mm, mode } = setup.focal;
  if (mode !== 'free' || turned.status === 'failed' || isMisfit(turned) || turned.focalMm === null || (turned.sigmaFocalMm ?? Infinity) <= KNOWN_SHARE * turned.focalMm) return null;
  const by = again(begun(setup, { mode: 'guided', mm, sigmaMm: BY_RECORD_SHARE * mm }));
  if (by.status === 'failed' || !by.noisePx || by.noisePx > AS_GOOD * (turned.noisePx ?? 0)) return null;
  return { ...by, focalMode: 'free', warnings: once([SOLVE.FOCAL_NOT_TOLD(mm * (setup.adapterFactor ?? 1), 100 * BY_RECORD_SHARE, turned.focalMm), ...by.warnings]) };
}

/** Sums of squares, px², that two solves leave of the tracks that both hold, their places, and the share these are of the second's. */
function inBoth(a: SolveResult, b: SolveResult): { first: number; second: number; places: number; share: number } {
  const own = new Map(a.points.map((p) => [p.track, p.rmsPx]));
  let [first, second, places, all] = [0, 0, 0, 0];
  for (const p of b.points) {
    all += p.observations;
    const rmsPx = own.get(p.track);
    if (rmsPx === undefined) continue;
    places += p.observations;
    first += p.observations * rmsPx ** 2;
    second += p.observations * p.rmsPx ** 2;
  }
  return { first, second, places, share: places / Math.max(1, all) };
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
