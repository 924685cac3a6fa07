import { distance, median } from '../math';
import type { Warning } from '../warnings';
import { adjust } from './adjust';
import { assembleTurn } from './assemble';
import { lengths, residualsAt, type LensUnknown } from './bundle-problem';
import { freeLens, freeRest } from './free-lens';
import { partAgain, type PlacedPart } from './join-parts';
import { relens, type Observations } from './observations';
import { chooseNormalisation } from './normalisation';
import { centerOf, Reconstruction, type FocalRule } from './reconstruction';
import { driftOf } from './residual-drift';
import { nameMoving, noiseOf, noiseOfAll, refineAll, trim } from './refine';
import type { SolveProgress, SolveResult, TrimmedObservation } from './result';
import { findingCentre, type SolveLens, type SolveSetup } from './setup';
import { hasParallax, type PairCandidate } from './start';
import { focalOfTurn, startTurn } from './turn';
import { chooseKnots } from './zoom';

export interface TurnInput {
  obs: Observations;
  lens: SolveLens;
  setup: SolveSetup;
  rule: FocalRule;
  options: { trim?: boolean; onlyTracks?: boolean; onProgress?: (progress: SolveProgress) => void };
  warnings: Warning[];
  pairs: readonly PairCandidate[];
}

/** Pairs that show a turn best: those of keyframes farthest apart that still share tracks. */
const TURN_PAIRS = 6;
export const farthestApart = (ranked: readonly PairCandidate[]): PairCandidate[] => [...ranked].sort((a, b) => Math.abs(b.b - b.a) - Math.abs(a.b - a.a)).slice(0, TURN_PAIRS);

/** The same pairs by the frames of another set of tracks of the shot; a frame that only few tracks are in may be missing from a thinner one. */
export const onFrames = (pairs: readonly PairCandidate[], from: Observations, to: Observations): PairCandidate[] =>
  pairs.map((p) => ({ ...p, a: to.frames.indexOf(from.frames[p.a]), b: to.frames.indexOf(from.frames[p.b]) }));

/**
 * Where a turn leaves hardly more than a move, the move's places are made of noise: it has three more unknowns a frame and one more a track, and
 * takes up what they can.
 */
export const TURN_EXPLAINS = 1.08;
/**
 * A move that shifts near and far by so few noises of a track would leave, if it were one, several times the noise to a turn; followed tracks have errors
 * that are alike for neighbours, and a move takes up more of those than of white ones.
 */
const SMALL_NOISES = 30;
const TURN_EXPLAINS_SMALL = 1.2;
/** A turn that leaves no more than this is worth having where no move is found. */
export const LITTLE_PX = 2;
/** A move that shifts near and far against each other by more than so many times the noise of a track is no turn; nobody needs to ask. */
export const DOUBTFUL_NOISES = 60;

/** Is what was solved as a move a turn after all? Both noises with what the unknowns took up put back, px. */
export const turnsAfterAll = (movePx: number, turnPx: number, travel: number): boolean => turnPx < (travel < SMALL_NOISES * movePx ? TURN_EXPLAINS_SMALL : TURN_EXPLAINS) * movePx;

/** Of a turn that is asked for its noise alone, a hundredth of which decides nothing. */
const NOISE_TOLERANCE = 1e-4;

/** By how much the travel of the camera moves points in the picture, px: its extent over their median distance. */
export function travelPx(r: Reconstruction): number {
  const centers = r.poses.flatMap((p) => (p ? [centerOf(p)] : []));
  const [first] = centers;
  const extent = Math.max(...centers.map((c) => distance(c, first)));
  const depths = r.points.flatMap((p) => (p ? [distance(p, first)] : []));
  return depths.length === 0 ? 0 : (extent / median(depths)) * r.slopeToPx;
}

/** What residuals are of the errors, since the unknowns take up their share: of few tracks a move takes up a tenth more than a turn does. */
export function leftOver(r: Reconstruction): number {
  const frames = r.placedFrames().length;
  const points = r.points.filter((p) => p !== null).length;
  let seen = 0;
  for (let o = 0; o < r.obs.count; o += 1) if (!r.dropped[o] && r.poses[r.obs.frame[o]] && r.points[r.obs.track[o]]) seen += 1;
  const unknowns = r.turnOnly ? 3 * frames + 2 * points - 3 : 6 * frames + 3 * points - 7;
  return Math.sqrt(Math.max(LEAST_LEFT, 1 - unknowns / (2 * seen)));
}
const LEAST_LEFT = 0.05;

/** A pure turn through the tracks, not adjusted yet; null where it places not all frames. What it finds of zoom and lens is its own. */
function laidTurn(shared: Observations, lens: SolveLens, rule: FocalRule, ranked: readonly PairCandidate[]): Reconstruction | null {
  // the move goes on with its own zoom and lens
  const obs = { ...shared, xMm: shared.xMm.slice(), yMm: shared.yMm.slice(), profile: shared.profile.slice() };
  relens(obs, lens.map);
  const probe = new Reconstruction(obs, lens.map, lens.recordedMm, rule);
  const r = new Reconstruction(obs, lens.map, rule.held || rule.priorSigmaMm ? lens.recordedMm : focalOfTurn(probe, farthestApart(ranked)), rule);
  startTurn(r);
  if (r.placedFrames().length < obs.frames.length) return null;
  r.lensPriors = lens.priors;
  return r;
}

/** Of a turn whose lens is found with it: they trade off along a valley, and what is left half way down says nothing. */
const WITH_LENS = { rounds: 60, tolerance: 1e-5 };

/** One-axis noise of what a turn leaves, once it is adjusted. */
function noiseLeft(r: Reconstruction, rounds = 12, tolerance = 1e-3): number {
  const { residualPx } = r.adjustAll(2, rounds, tolerance);
  return residualPx.length > 0 ? noiseOf(residualPx) / leftOver(r) : Infinity;
}

/** Frames enough to see that a camera went far. */
const FEW_FRAMES = 120;

/** The same of a long shot's every nth frame, and no more than it: a move that goes far is told from a turn by those. Of a shorter one 0. */
function noiseOnFew(r: Reconstruction): number {
  const placed = r.placedFrames();
  const stride = Math.floor(placed.length / FEW_FRAMES);
  if (stride < 2) return 0;
  const { problem, state } = r.toBundle(new Set(placed.filter((_, i) => i % stride === 0)));
  const { state: turned } = adjust(problem, state, { huberPx: 2, maxIterations: 12, costTolerance: 1e-3 });
  return problem.camera.length > 0 ? noiseOf(lengths(residualsAt(problem, turned))) : 0;
}

/** One-axis noise that a pure turn leaves in the tracks, px; infinite where it cannot be laid through them. */
export function noiseOfTurn(shared: Observations, lens: SolveLens, rule: FocalRule, ranked: readonly PairCandidate[], zooms: boolean): number {
  const r = laidTurn(shared, lens, rule, ranked);
  if (!r) return Infinity;
  if (zooms) zoomOfTurn(r, lens, NOISE_TOLERANCE);
  else if (lens.alsoFree.length > 0) freeRest(r, lens);
  return noiseLeft(r);
}

/** The middle of all places says nothing of a solve that leaves out so many that it comes to this many times the noise of what it kept. */
const LEFT_OUT_SHOWS = 2;
/** A place is explained within so many times that noise. */
const EXPLAINED_NOISES = 5;
/** A turn explains fewer than this share of what the move does. */
const EXPLAINS_LESS = 0.8;

/**
 * Half of the tracks may lie on a thing that goes along. A move that explains the others is no turn because it leaves out many, as long as a turn explains
 * fewer.
 */
export function holdsMoreThanTurn(move: Reconstruction, shared: Observations, lens: SolveLens, rule: FocalRule, ranked: readonly PairCandidate[]): boolean {
  const { residualPx } = move.adjustAll(Infinity, 0);
  const left = leftOver(move);
  const ownPx = noiseOf(residualPx) / left;
  if (noiseOfAll(move) / left < LEFT_OUT_SHOWS * ownPx) return false;
  const explained = (all: Float64Array, r: Reconstruction): number => {
    const places = r.placedFrames().reduce((n, f) => n + r.obs.byFrame[f].length, 0);
    return all.filter((px) => px < EXPLAINED_NOISES * ownPx).length / Math.max(1, places);
  };
  const turn = laidTurn(shared, lens, rule, ranked);
  return turn === null || explained(turn.adjustAll(2, 12, 1e-3).residualPx, turn) < EXPLAINS_LESS * explained(residualPx, move);
}

/** A turn by another lens than was given leaves no more than this beside a move: it has a handful of unknowns more than a turn, and hundreds less than a move. */
const OTHER_LENS_EXPLAINS = 1.04;
const OTHER_LENS_EXPLAINS_SMALL = 1.1;
/** A zoom bends otherwise at its other end, which one lens does not explain; moves of four centimetres leave 1.4 times as much to a turn, a push of eight along the line of sight 1.16. */
export const OTHER_LENS_EXPLAINS_ZOOM = 1.13;
/** A move that leaves out more of the tracks than this chose the ones that fit it; a turn by the right lens explains them all. */
const LEAVES_MANY = 0.2;
const leftOut = (r: Reconstruction): number => r.rejected.reduce((sum, v) => sum + v, 0) / r.rejected.length;
/** What a lens makes of a turn looks like a move of no more than this share of the distance, and is no further from a turn than so many times the noise. */
const MOST_TRAVEL_SHARE = 0.3;
const MOST_OFF = 5;

/** What of a lens nobody gave, so that a turn by another one may explain what looks like a move: its bend, then where it sits. */
const bendNotGiven = ({ freeDistortion, hasDistortion }: SolveLens): readonly LensUnknown[] => (freeDistortion || !hasDistortion ? ['k1', 'k2'] : []);
const centreNotGiven = (setup: SolveSetup): readonly LensUnknown[] => (setup.principalPoint === undefined ? ['cx', 'cy'] : []);

/**
 * A turn by a lens that bends, or sits off the middle of the picture, looks like a move that fits to the last pixel: each track finds a depth that bends
 * it so. Who asks whether it turned must let the lens be another one.
 * @param straightPx noise that a turn by the given lens leaves, where that was asked
 * @returns the lens to solve the turn by: the given one where it bends, which is said of the turn then, or one that finds its place; null: it moved
 */
export function otherLensOfTurn(move: Reconstruction, shared: Observations, lens: SolveLens, setup: SolveSetup, ranked: readonly PairCandidate[], straightPx = 0): SolveLens | null {
  const travel = travelPx(move);
  const zooms = setup.focal.mode === 'zoom';
  const movePx = noiseOfAll(move) / leftOver(move);
  // what a zoom does to the picture looks like a move along the line of sight, however far
  const far = !zooms && travel > MOST_TRAVEL_SHARE * move.slopeToPx;
  const [bend, centre] = [bendNotGiven(lens), centreNotGiven(setup)];
  if (far || straightPx > MOST_OFF * movePx || bend.length + centre.length === 0) return null;
  const r = laidTurn(shared, lens, move.focalRule, ranked);
  if (!r) return null;
  if (zooms) zoomOfTurn(r, lens, NOISE_TOLERANCE);
  if (noiseOnFew(r) > MOST_OFF * movePx || noiseLeft(r) > MOST_OFF * movePx) return null;
  const limit = zooms ? OTHER_LENS_EXPLAINS_ZOOM : travel < SMALL_NOISES * movePx || leftOut(move) > LEAVES_MANY ? OTHER_LENS_EXPLAINS_SMALL : OTHER_LENS_EXPLAINS;
  const explainsWith = (names: readonly LensUnknown[]) => {
    r.freeLens = [...r.freeLens, ...names];
    return noiseLeft(r, WITH_LENS.rounds, WITH_LENS.tolerance) < limit * movePx;
  };
  if (bend.length > 0 && explainsWith(bend)) return lens;
  // a zoom has found its place already
  if (centre.length === 0 || zooms) return null;
  const elsewhere = findingCentre(lens);
  r.lensPriors = elsewhere.priors;
  return explainsWith(centre) ? elsewhere : null;
}

/** Errors of tracks that were followed by their pictures go along them by factors of a few; what bends a whole track by one of about as many as its frames. */
const MOTION_DRIFTS = 10;
const MOTION_DRIFTS_SHARE = 0.5;

/**
 * Few short tracks show no motion between any two frames that share enough of them, and all of them together do: what a turn leaves goes slowly along
 * each track, whatever its lens.
 */
export function leavesMotion(shared: Observations, lens: SolveLens, setup: SolveSetup, rule: FocalRule, ranked: readonly PairCandidate[]): boolean {
  const r = laidTurn(shared, lens, rule, ranked);
  if (!r) return false;
  const most = Math.min(MOTION_DRIFTS, MOTION_DRIFTS_SHARE * median(shared.byTrack.map((list) => list.length)));
  const goesAlong = (names: readonly LensUnknown[]): boolean => {
    r.freeLens = names;
    r.adjustAll(2, 12, 1e-3);
    return driftOf(r).factor > most;
  };
  const centre = centreNotGiven(setup);
  const others = [...bendNotGiven(lens), ...centre];
  if (!goesAlong([])) return false;
  if (centre.length > 0) r.lensPriors = findingCentre(lens).priors;
  return others.length === 0 || goesAlong(others);
}

/** How a turn zooms, and round what: round a wrong place no spline follows how the picture grows. */
function zoomOfTurn(r: Reconstruction, lens: SolveLens, tolerance?: number): void {
  chooseKnots(r, 2, tolerance);
  if (lens.alsoFree.length === 0) return;
  freeRest(r, lens);
  chooseKnots(r, 2, tolerance);
}

/** A camera that turns and does not move: its turns, the directions of the tracks, and what the turn says of the focal length; no place, no depth. */
export function solveTurn({ obs, lens, setup, rule, options, warnings, pairs }: TurnInput): { turned: SolveResult; r: Reconstruction; parts: PlacedPart[] } {
  const progress = options.onProgress ?? (() => undefined);
  progress({ stage: 'starting pair', done: 0, total: 1 });
  // what was tried as a move may have found another lens
  relens(obs, lens.map);
  const probe = new Reconstruction(obs, lens.map, lens.recordedMm, rule);
  const r = new Reconstruction(obs, lens.map, rule.held || rule.priorSigmaMm ? lens.recordedMm : focalOfTurn(probe, pairs), rule);
  const parts = startTurn(r);
  progress({ stage: 'frames placed', done: r.placedFrames().length, total: obs.frames.length });
  r.adjustAll(2, 15, 1e-4);
  r.lensPriors = lens.priors;
  if (setup.focal.mode === 'zoom') zoomOfTurn(r, lens);
  // before anything is left out for it
  else if (lens.unasked.length > 0) freeRest(r, lens);
  const trimmed: TrimmedObservation[] = [];
  let iterations = refineAll(r, trimmed, progress, warnings);
  if (partAgain(r, parts)) iterations += refineAll(r, trimmed, progress, warnings);
  // a zoom holds its map: nobody can tell which of its lengths another one would follow
  if (lens.freeDistortion) iterations += freeLens(r);
  if (lens.alsoFree.length > 0) iterations += freeRest(r, lens);
  if (setup.focal.mode !== 'zoom' && !lens.freeDistortion) iterations += chooseNormalisation(r, lens, rule, warnings);
  nameMoving(r, trimmed, warnings);
  if (options.trim) iterations += trim(r, trimmed, progress, warnings);
  progress({ stage: 'uncertainty', done: 0, total: 1 });
  return { turned: assembleTurn(r, lens, setup, { warnings, trimmed, iterations, focalMode: setup.focal.mode ?? 'held', mayBend: !options.onlyTracks }), r, parts };
}

/** Does any of the best pairs show motion, at whatever focal length explains a pure turn best? */
export function motionSeen(probe: Reconstruction, pairs: readonly PairCandidate[], random: () => number): boolean {
  const trial = new Reconstruction(probe.obs, probe.lens, probe.focalMm, probe.focalRule);
  for (const pair of pairs) {
    trial.focalMm = focalOfTurn(probe, [pair]);
    const turnOnly = !hasParallax(trial.sharedPairs(pair.a, pair.b).pairs, trial.slopeToPx, random);
    if (turnOnly) continue;
    if (hasParallax(probe.sharedPairs(pair.a, pair.b).pairs, probe.slopeToPx, random)) return true;
  }
  return false;
}
