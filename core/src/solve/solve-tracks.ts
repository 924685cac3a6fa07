import { distance, median, seededRandom, sigmaFromMedianRadius } from '../math';
import { asRecorded, countedAs, questionCounting, type TrackCounting } from '../track/counting';
import { adjust } from './adjust';
import { assembleFree, assembleTurn, failed } from './assemble';
import { evaluateBundle, Linearisation } from './bundle-problem';
import { asObject, objectSetup, withoutStill } from './object';
import { buildObservations, reprofile, type Observations, type TrackPoint } from './observations';
import { concentrate } from './concentrate';
import { firstAnswer, type FirstAnswer } from './first-answer';
import { freeLens, freeRest } from './free-lens';
import { centerOf, Reconstruction, type FocalRule } from './reconstruction';
import { driftOf } from './residual-drift';
import type { SolveResult, TrimmedObservation } from './result';
import { readSolveSetup, type SolveLens, type SolveSetup } from './setup';
import { chooseKeyframes, growOver, hasParallax, MIN_RAY_ANGLE_RAD, MIN_SHARED_TRACKS, rankPairs, RICH_SHARED, startFromPair, type PairCandidate } from './start';
import { focalOfTurn, startTurn } from './turn';
import { chooseKnots, growthOfPicture, recordedProfile, mayZoom, splineBasis, zoomSeen } from './zoom';
import { once, SOLVE, type Warning } from '../warnings';
import { settledSqueeze, squeezedSeen, toldSqueezed } from './squeezed';
import { trimLimitPx } from './trim';

export interface SolveOptions {
  /** drop the worst observations and solve again; default false */
  trim?: boolean;
  seed?: number; // default 1
  /** how the file of the tracks counts, where somebody said it. Without it that is asked, and a doubt is said in `question` and in the warnings */
  counting?: TrackCounting;
  /** where the tracks make no sense as they are read: do not solve them, fail with the question. Default: solve, and say it */
  mustAsk?: boolean;
  /** throw CancelledError inside to stop */
  onProgress?: (progress: SolveProgress) => void;
}

export interface SolveProgress {
  stage: string;
  done: number;
  total: number;
  /** the first answer, from a few frames and tracks, not yet adjusted with the rest; it comes once */
  coarse?: FirstAnswer;
}

/** Focal lengths tried when it is free, over the recorded one: a start within about ±25 % finds the basin. */
const FREE_STARTS = [1, 0.71, 1.41, 0.5, 2];
const PROBE_KEYFRAMES = 10;
/** Pairs tried at a focal length; once some start explains nearly everything, a rival gets one. */
const PAIRS_TRIED = 3;
/** Mean truncated square, px²: such a start explains nearly everything to within a pixel. */
const GOOD_SCORE = 1.5;
/** Rounds of the last adjustment; a shot that needs more is told apart from one that settled. */
const LAST_ITERATIONS = 40;
/** Share of the keyframes that a first answer stands on at least. */
const COARSE_KEYS = 0.8;
/** While a free focal length is still seen from few frames it is pulled to the start by 10 %: else it wanders, and the path bends with it. */
const GROWTH_FOCAL_SHARE = 0.1;

/**
 * Camera path, points and focal length from tracks.
 * Starting pair by parallax and by a model choice between turn and motion; several starts and focal lengths compared by a truncated cost
 * over the same observations; other frames by absolute pose; bundle adjustment; tracks that do not behave like still points left out;
 * covariance; anchoring. What cannot be solved is said, never invented.
 * @throws CoreError for bad input; a hard problem returns status `failed` or `partial` with its reason
 */
export function solveTracks(given: readonly TrackPoint[], setup: SolveSetup, options: SolveOptions = {}): SolveResult {
  if (setup.motion === 'object') {
    const { tracks, still } = withoutStill(given);
    return asObject(solveTracks(tracks, objectSetup(setup), options), setup, still);
  }
  const lens = readSolveSetup(setup);
  const picture = { widthPx: lens.geometry.widthPx, heightPx: lens.geometry.heightPx };
  const doubt = options.counting ? null : questionCounting(given, picture);
  if (doubt && options.mustAsk) return { ...failed(setup, lens, doubt.words, []), question: doubt };
  const tracks = countedAs(given, options.counting ?? asRecorded(picture), picture);
  const { mirrored, ...result } = solveCounted(tracks, setup, lens, options);
  if (doubt) return { ...result, question: doubt, warnings: [SOLVE.COUNTING_DOUBTED(doubt.words), ...result.warnings] };
  if (!mirrored) return result;
  const warned = { ...result, warnings: [SOLVE.MIRRORED(mirrored), ...result.warnings] };
  // whoever said how they count has answered; what speaks against it stays among the warnings
  if (options.counting) return warned;
  return { ...warned, question: { what: 'mirrored', words: mirrored, choices: [{ ...asRecorded(picture), yUp: true }] } };
}

function solveCounted(tracks: readonly TrackPoint[], setup: SolveSetup, lens: SolveLens, options: SolveOptions & { settled?: boolean }): SolveResult & { mirrored?: string | null } {
  const progress = options.onProgress ?? (() => undefined);
  const random = seededRandom(options.seed ?? 1);
  const warnings: Warning[] = [];
  progress({ stage: 'reading tracks', done: 0, total: 1 });
  const obs = buildObservations(tracks, lens.map);
  if (obs.outsideLens > 0) warnings.push(SOLVE.OUTSIDE_LENS(obs.outsideLens));
  const read = [...warnings];
  const fail = (reason: string) => failed(setup, lens, reason, warnings);

  const lasting = obs.byTrack.filter((l) => l.length >= 2).length;
  if (obs.frames.length < 2) return fail(`too few frames: ${obs.frames.length} with tracks; a solve needs at least 2`);
  if (lasting < MIN_SHARED_TRACKS) return fail(`too few tracks: ${lasting} seen in two frames or more; a solve needs at least ${MIN_SHARED_TRACKS}`);

  const focalMode = setup.focal.mode ?? 'held';
  const rule: FocalRule =
    focalMode === 'held'
      ? { held: true }
      : focalMode === 'zoom' && setup.focal.sigmaMm
        ? { held: false, priorMm: lens.recordedMm, priorSigmaMm: setup.focal.sigmaMm * (setup.adapterFactor ?? 1) }
        : focalMode === 'guided'
          ? { held: false, priorMm: lens.recordedMm, priorSigmaMm: setup.focal.sigmaMm! * (setup.adapterFactor ?? 1) }
          : { held: false };
  const sparse = thinTracks(tracks, obs, lens);
  const zooms = focalMode === 'zoom';
  if (zooms && lens.hasDistortion) warnings.push(SOLVE.DISTORTION_HELD_OVER_ZOOM(lens.recordedMm));
  // the picture's own growth first, so that turns and moves are told apart by a lens that does not seem to zoom
  if (zooms) reprofile(sparse, growthOfPicture(sparse));
  const keys = chooseKeyframes(sparse);
  const probe = new Reconstruction(sparse, lens.map, lens.recordedMm, rule);
  const ranked = rankPairs(probe, keys);
  if (ranked.length === 0) return fail(`too few shared tracks: no two frames share ${MIN_SHARED_TRACKS}`);
  progress({ stage: 'starting pair', done: 0, total: 1 });
  // a pair of few tracks fits any model: the judgement is left to those that share many, where there are such
  const rich = ranked.filter((p) => p.shared >= RICH_SHARED);
  const asTurn = () => {
    if (zooms && sparse !== obs) reprofile(obs, onOtherFrames(sparse, obs));
    return solveTurn({ obs, lens, setup, rule, options, warnings: read, pairs: onFrames(farthestApart(ranked), sparse, obs) });
  };
  const asked = (rich.length > 0 ? rich : ranked).slice(0, 4);
  if (setup.motion === 'pan' || !motionSeen(probe, asked, random)) return asTurn();

  const starts = startsOf(sparse, setup, lens);
  let best: { r: Reconstruction; score: number; profile: Float64Array } | null = null;
  starts.forEach(({ focalMm, profile }, i) => {
    reprofile(sparse, profile);
    progress({ stage: 'starting pair', done: i, total: starts.length });
    const tried = tryStart(
      sparse,
      lens,
      focalMm,
      rule.held || rule.priorSigmaMm ? rule : { held: false, priorMm: focalMm, priorSigmaMm: GROWTH_FOCAL_SHARE * focalMm },
      keys,
      best && best.score < GOOD_SCORE ? 1 : PAIRS_TRIED,
      random,
    );
    if (tried && (!best || tried.score < best.score)) best = { ...tried, profile };
  });
  if (!best) {
    // a wide turn that hardly moves: no two frames say where it went, all of them say how it turned
    if (noiseOfTurn(sparse, lens, rule, ranked, zooms) < LITTLE_PX) return asTurn();
    return fail('no starting pair: no two frames give a consistent camera motion');
  }
  const { r: started, profile } = best as { r: Reconstruction; score: number; profile: Float64Array };
  reprofile(sparse, profile);
  if (zooms) started.zoom = splineBasis(sparse.frames, 1);

  const total = obs.frames.length;
  const onPlaced = (done: number) => progress({ stage: 'frames placed', done, total });
  growOver(started, keys, random, onPlaced);
  // what is pulled to where it began is let go once, so that the first answer is the tracks' own
  // a few frames of a long shot say nothing yet of its lens
  if (!zooms && started.placedFrames().length >= COARSE_KEYS * keys.length)
    progress({ stage: 'frames placed', done: started.placedFrames().length, total, coarse: firstAnswer(started, sparse, rule, noiseOf) });
  if (zooms && sparse !== obs) reprofile(obs, onOtherFrames(sparse, obs));
  const r = started.carryTo(obs, rule);
  r.lensPriors = lens.priors;
  if (zooms) r.zoom = splineBasis(obs.frames, 1);
  r.triangulate(MIN_RAY_ANGLE_RAD, 4);
  r.adjustAll(2, 10, 1e-4);
  placeRest(r, random, onPlaced);

  const trimmed: TrimmedObservation[] = [];
  let iterations = zooms ? chooseKnots(r, 2) : 0;
  iterations += refineAll(r, trimmed, progress, warnings);
  if (zooms) {
    iterations += chooseKnots(r, 3 * r.noisePx);
    iterations += refineAll(r, trimmed, progress, warnings);
  }
  if (lens.freeDistortion) {
    iterations += freeLens(r);
    iterations += refineAll(r, trimmed, progress, warnings);
    iterations += freeLens(r);
  }
  if (lens.alsoFree.length > 0) {
    iterations += freeRest(r, lens);
    iterations += refineAll(r, trimmed, progress, warnings);
  }
  const bent = concentrate(r, (sigma) => MOVES_SIGMAS * Math.max(sigma, LEAST_NOISE_PX));
  if (bent.length > 0) {
    for (const { track, rms } of bent) trimmed.push({ track: obs.trackIds[track], frame: null, residualPx: rms, reason: 'moving' });
    iterations += refineAll(r, trimmed, progress, warnings);
  }
  if (!zooms && !lens.freeDistortion) iterations += chooseNormalisation(r, lens, rule, warnings);
  const noisePx = noiseOf(r.adjustAll(Infinity, 0).residualPx);
  if (zooms) reprofile(sparse, onOtherFrames(obs, sparse));
  if (travelPx(r) < DOUBTFUL_NOISES * noisePx && noiseOfTurn(sparse, lens, rule, ranked, zooms) < TURN_EXPLAINS * noisePx) return asTurn();
  nameMoving(r, trimmed, warnings);
  if (options.trim) iterations += trim(r, trimmed, progress, warnings);
  progress({ stage: 'uncertainty', done: 0, total: 1 });
  const solved = assembleFree(r, lens, setup, { warnings: once(warnings), trimmed, iterations, focalMode });
  if (zooms) return { ...solved, ...outsideNoted(solved, setup) };
  const settled = options.settled ? solved : settledSqueeze(solved, setup, (other) => solveCounted(tracks, other, readSolveSetup(other), { ...options, settled: true }));
  if (settled !== solved) return settled;
  const squeezed = squeezedSeen(r, solved, lens, setup, (other) => solveCounted(tracks, other, readSolveSetup(other), { seed: options.seed }));
  if (squeezed) return toldSqueezed(solved, squeezed, setup.squeeze ?? 1);
  const doubtful = solved.status !== 'failed' && mayZoom(sparse, solved.driftFactor ?? 1);
  const asZoom = doubtful ? solveCounted(tracks, { ...setup, focal: { mode: 'zoom', mm: setup.focal.mm }, anchors: undefined }, lens, { seed: options.seed }) : null;
  // a zoom that is taken as one length bends the picture too: what leaves less of the error is what it was
  const asBend = solved.bending ? (solved.noisePx ?? 0) * Math.sqrt(solved.bending.remaining) : Infinity;
  const zoomed = asZoom && (asZoom.noisePx ?? Infinity) < asBend ? zoomSeen(solved, asZoom) : null;
  if (zoomed === null) return { ...solved, squeezed: null };
  const reason = `the focal length changes during the take, by about ${(100 * (zoomed - 1)).toFixed(0)} %, and was taken as one: path and points are bent by it`;
  return {
    ...solved,
    zoomed,
    bending: null,
    status: 'partial',
    reason: solved.reason ? `${solved.reason}; ${reason}` : reason,
    warnings: [SOLVE.LENS_ZOOMS(reason), ...solved.warnings.filter((w) => w.code !== 'LENS_BENDS')],
  };
}

/** A zoom that ends so far outside what was noted of it is none that this lens made: path and lens traded places. */
const OUTSIDE = 1.3;

function outsideNoted(solve: SolveResult, setup: SolveSetup): Partial<SolveResult> {
  const { mm, sigmaMm, profile = [], endMm } = setup.focal;
  const adapter = setup.adapterFactor ?? 1;
  const noted = [...profile.map((n) => n.mm), ...(sigmaMm ? [mm - sigmaMm, mm + sigmaMm] : []), ...(endMm ? [mm, endMm] : [])].map((v) => v * adapter);
  if (solve.frames.length === 0) return {};
  // nothing but a middle: a zoom of three times either way
  if (noted.length === 0) noted.push((mm * adapter) / 3, 3 * mm * adapter);
  const lengths = solve.frames.map((f) => f.focalMm);
  const [from, to] = [Math.min(...lengths), Math.max(...lengths)];
  const [low, high] = [Math.min(...noted), Math.max(...noted)];
  if (from > low / OUTSIDE && to < high * OUTSIDE) return {};
  const reason = `the solve zooms from ${from.toFixed(1)} to ${to.toFixed(1)} mm, and ${low.toFixed(1)} to ${high.toFixed(1)} mm were noted: this move does not tell the lens from the path, or the note is wrong`;
  return { status: solve.status === 'failed' ? 'failed' : 'partial', reason: solve.reason ? `${solve.reason}; ${reason}` : reason };
}

/** Focal lengths and profiles from which a solve is tried. */
function startsOf(obs: Observations, setup: SolveSetup, lens: SolveLens): { focalMm: number; profile: Float64Array }[] {
  const mm = lens.recordedMm;
  const one = new Float64Array(obs.frames.length).fill(1);
  if (setup.focal.mode !== 'zoom') return (setup.focal.mode === 'free' ? FREE_STARTS : [1]).map((f) => ({ focalMm: f * mm, profile: one }));
  const noted = setup.focal.profile ?? (setup.focal.endMm ? [{ frame: obs.frames[0], mm: setup.focal.mm }, { frame: obs.frames[obs.frames.length - 1], mm: setup.focal.endMm }] : []); // prettier-ignore
  const recorded = noted.length >= 2 ? recordedProfile(obs.frames, noted, setup.focal.mm) : null;
  // as the picture grew
  const seen = obs.profile.slice();
  return [...(recorded ? [{ focalMm: mm, profile: recorded }] : []), ...FREE_STARTS.map((f) => ({ focalMm: f * mm, profile: seen }))];
}

/** The profile of one set of tracks at the frames of another of the same shot. */
function onOtherFrames(from: Observations, to: Observations): Float64Array {
  const noted = from.frames.map((frame, f) => ({ frame, mm: from.profile[f] }));
  return recordedProfile(to.frames, noted, 1);
}

/** Tracks kept in a frame while the start is looked for: enough for a pose, few enough for a dozen starts in a second. */
const START_TRACKS = 50;

/** Every n-th track where frames hold several times START_TRACKS; otherwise all. */
function thinTracks(tracks: readonly TrackPoint[], obs: Observations, lens: SolveLens): Observations {
  const stride = Math.floor(median(obs.byFrame.map((l) => l.length)) / START_TRACKS);
  if (stride < 2) return obs;
  const kept = new Set(obs.trackIds.filter((_, i) => i % stride === 0));
  return buildObservations(
    tracks.filter((p) => kept.has(p.track)),
    lens.map,
  );
}

interface TurnInput {
  obs: Observations;
  lens: SolveLens;
  setup: SolveSetup;
  rule: FocalRule;
  options: SolveOptions;
  warnings: Warning[];
  pairs: readonly PairCandidate[];
}

/** Pairs that show a turn best: those of keyframes farthest apart that still share tracks. */
const TURN_PAIRS = 6;
const farthestApart = (ranked: readonly PairCandidate[]): PairCandidate[] => [...ranked].sort((a, b) => Math.abs(b.b - b.a) - Math.abs(a.b - a.a)).slice(0, TURN_PAIRS);

/** The same pairs by the frames of another set of tracks of the shot; a frame that only few tracks are in may be missing from a thinner one. */
const onFrames = (pairs: readonly PairCandidate[], from: Observations, to: Observations): PairCandidate[] =>
  pairs.map((p) => ({ ...p, a: to.frames.indexOf(from.frames[p.a]), b: to.frames.indexOf(from.frames[p.b]) }));

/**
 * Where a turn leaves hardly more than a move, the move's places are made of noise: it has three more unknowns a frame and one more a track, and
 * takes up what they can.
 */
const TURN_EXPLAINS = 1.08;
/** A turn that leaves no more than this is worth having where no move is found. */
const LITTLE_PX = 2;
/** A move that shifts near and far against each other by more than so many times the noise of a track is no turn; nobody needs to ask. */
const DOUBTFUL_NOISES = 60;

/** By how much the travel of the camera moves points in the picture, px: its extent over their median distance. */
function travelPx(r: Reconstruction): number {
  const centers = r.poses.flatMap((p) => (p ? [centerOf(p)] : []));
  const [first] = centers;
  const extent = Math.max(...centers.map((c) => distance(c, first)));
  const depths = r.points.flatMap((p) => (p ? [distance(p, first)] : []));
  return depths.length === 0 ? 0 : (extent / median(depths)) * r.slopeToPx;
}

/** One-axis noise that a pure turn leaves in the tracks, px; infinite where it cannot be laid through them. */
function noiseOfTurn(obs: Observations, lens: SolveLens, rule: FocalRule, ranked: readonly PairCandidate[], zooms: boolean): number {
  const probe = new Reconstruction(obs, lens.map, lens.recordedMm, rule);
  const r = new Reconstruction(obs, lens.map, rule.held || rule.priorSigmaMm ? lens.recordedMm : focalOfTurn(probe, farthestApart(ranked)), rule);
  startTurn(r);
  if (r.placedFrames().length < obs.frames.length) return Infinity;
  if (zooms) chooseKnots(r, 2);
  const { residualPx } = r.adjustAll(2, 12, 1e-3);
  return residualPx.length > 0 ? noiseOf(residualPx) : Infinity;
}

/** A camera that turns and does not move: its turns, the directions of the tracks, and what the turn says of the focal length; no place, no depth. */
function solveTurn({ obs, lens, setup, rule, options, warnings, pairs }: TurnInput): SolveResult {
  const progress = options.onProgress ?? (() => undefined);
  progress({ stage: 'starting pair', done: 0, total: 1 });
  const probe = new Reconstruction(obs, lens.map, lens.recordedMm, rule);
  const r = new Reconstruction(obs, lens.map, rule.held || rule.priorSigmaMm ? lens.recordedMm : focalOfTurn(probe, pairs), rule);
  startTurn(r);
  progress({ stage: 'frames placed', done: r.placedFrames().length, total: obs.frames.length });
  r.adjustAll(2, 15, 1e-4);
  if (setup.focal.mode === 'zoom') chooseKnots(r, 2);
  const trimmed: TrimmedObservation[] = [];
  let iterations = refineAll(r, trimmed, progress, warnings);
  // a zoom holds its map: nobody can tell which of its lengths another one would follow
  r.lensPriors = lens.priors;
  if (lens.freeDistortion) iterations += freeLens(r);
  if (lens.alsoFree.length > 0) iterations += freeRest(r, lens);
  if (setup.focal.mode !== 'zoom' && !lens.freeDistortion) iterations += chooseNormalisation(r, lens, rule, warnings);
  nameMoving(r, trimmed, warnings);
  if (options.trim) iterations += trim(r, trimmed, progress, warnings);
  progress({ stage: 'uncertainty', done: 0, total: 1 });
  return assembleTurn(r, lens, setup, { warnings, trimmed, iterations, focalMode: setup.focal.mode ?? 'held' });
}

/** Does any of the best pairs show motion, at whatever focal length explains a pure turn best? */
function motionSeen(probe: Reconstruction, pairs: readonly PairCandidate[], random: () => number): boolean {
  const trial = new Reconstruction(probe.obs, probe.lens, probe.focalMm, probe.focalRule);
  for (const pair of pairs) {
    trial.focalMm = focalOfTurn(probe, [pair]);
    const turnOnly = !hasParallax(trial.sharedPairs(pair.a, pair.b).pairs, trial.slopeToPx, random);
    if (turnOnly) continue;
    if (hasParallax(probe.sharedPairs(pair.a, pair.b).pairs, probe.slopeToPx, random)) return true;
  }
  return false;
}

/** The best of a few pairs at one focal length, grown over some keyframes and scored over the same observations. */
function tryStart(obs: Observations, lens: SolveLens, focalMm: number, rule: FocalRule, keys: readonly number[], pairCount: number, random: () => number): { r: Reconstruction; score: number } | null {
  const base = new Reconstruction(obs, lens.map, focalMm, rule);
  const pairs = rankPairs(base, keys);
  const chosen = pairs.filter((p, i) => i < 12 && pairs.findIndex((q) => Math.abs(q.a - p.a) + Math.abs(q.b - p.b) <= 2) === i).slice(0, pairCount);
  let best: { r: Reconstruction; score: number } | null = null;
  for (const pair of chosen) {
    const r = startFromPair(obs, lens.map, focalMm, rule, pair, random);
    if (!r) continue;
    const middle = (pair.a + pair.b) / 2;
    const near = [...keys].sort((a, b) => Math.abs(a - middle) - Math.abs(b - middle)).slice(0, PROBE_KEYFRAMES);
    growOver(r, near, random);
    r.adjustAll(2, 15, 1e-5);
    const score = truncatedScore(r, near);
    if (!best || score < best.score) best = { r, score };
    // a start that explains nearly everything to within a pixel needs no rival
    if (score < GOOD_SCORE) break;
  }
  return best;
}

/** Mean of min(residual, 5 px)² over all observations in the frames; one that is not explained counts in full. */
function truncatedScore(r: Reconstruction, frames: readonly number[]): number {
  const cap2 = 25;
  const { problem, state } = r.toBundle(new Set(frames));
  const lin = new Linearisation(problem.camera.length);
  evaluateBundle(problem, state, lin, false);
  const all = frames.reduce((n, f) => n + r.obs.byFrame[f].length, 0);
  let sum = (all - problem.camera.length) * cap2;
  for (let i = 0; i < problem.camera.length; i += 1) sum += Math.min(cap2, lin.residual[2 * i] ** 2 + lin.residual[2 * i + 1] ** 2);
  return sum / Math.max(1, all);
}

/** Places all other frames, from the placed ones outwards, adding points where frames run out of them. Returns the frames left over. */
function placeRest(r: Reconstruction, random: () => number, onPlaced: (done: number) => void): number[] {
  let open = r.poses.flatMap((p, f) => (p ? [] : [f]));
  for (let round = 0; round < 6 && open.length > 0; round += 1) {
    const before = open.length;
    open.sort((a, b) => nearest(r, a) - nearest(r, b));
    let count = r.placedFrames().length;
    for (const f of open) {
      if (r.place(f, 3, random)) count += 1;
      if (count % 10 === 0) onPlaced(count);
    }
    open = open.filter((f) => !r.poses[f]);
    r.triangulate(MIN_RAY_ANGLE_RAD, 4);
    if (open.length === before) break;
    if (open.length > 0) r.adjustAll(2, 4, 1e-4);
  }
  onPlaced(r.placedFrames().length);
  return open;
}

const nearest = (r: Reconstruction, f: number): number => {
  for (let d = 1; d < r.poses.length; d += 1) if (r.poses[f - d] ?? r.poses[f + d]) return d;
  return Infinity;
};

/** Adjusts all frames; leaves out tracks that do not behave like still points; takes back those that do after all. */
function refineAll(r: Reconstruction, trimmed: TrimmedObservation[], progress: NonNullable<SolveOptions['onProgress']>, warnings: Warning[]): number {
  // the keyframes already tell the noise, so that the first round can be the last
  let huberPx = Math.max(1e-3, 3 * noiseOf(r.adjustAll(2, 0).residualPx));
  let iterations = 0;
  const rounds = 4;
  for (let round = 0; round < rounds; round += 1) {
    const added = r.triangulate(MIN_RAY_ANGLE_RAD, Math.max(2, 2 * huberPx));
    const last = round === rounds - 1;
    const { residualPx, obsOf } = r.adjustAll(huberPx, round === 0 ? 12 : 20, round === 0 ? 1e-3 : 1e-5, (i) => {
      iterations += 1;
      progress({ stage: 'adjusting', done: round * 10 + Math.min(i, 9), total: rounds * 10 });
    });
    const sigma = Math.max(1e-4, noiseOf(residualPx));
    huberPx = Math.max(3 * sigma, 1e-3);
    r.noisePx = sigma * Math.sqrt(driftOf(r).factor);
    if (last) break;
    const moving = movingTracks(r, residualPx, obsOf, sigma);
    for (const { track, rms } of moving) {
      r.rejected[track] = 1;
      r.points[track] = null;
      trimmed.push({ track: r.obs.trackIds[track], frame: null, residualPx: rms, reason: 'moving' });
    }
    const lost = dropLostFrames(r, residualPx, obsOf, sigma);
    if (moving.length + lost === 0 && (round > 0 || added === 0)) break;
  }
  // a long shot of short tracks bends along a flat valley: the cost hardly falls while the focal length still walks
  const { reason } = r.adjustAll(
    huberPx,
    LAST_ITERATIONS,
    1e-3 / r.obs.count,
    (i) => {
      iterations += 1;
      progress({ stage: 'adjusting', done: 36 + Math.min(3, i / 10), total: 40 });
    },
    true,
  );
  if (reason === 'maxIterations') warnings.push(SOLVE.STOPPED_EARLY(LAST_ITERATIONS));
  return iterations;
}

/** One-axis noise of residual lengths, px; half of them may be wild. */
const noiseOf = (residualPx: Float64Array): number => sigmaFromMedianRadius(median(residualPx));

/** RMS of a track over the noise of one axis that a still one does not reach (√2 sigma are usual), and the noise that tracks have at least, px. */
const MOVES_SIGMAS = 2.5 * Math.SQRT2;
const LEAST_NOISE_PX = 0.02;
/** A track is off by more than this among its like in one of some ten thousand. */
const UNLIKE_SIGMAS = 4;

/** Tracks whose RMS is 2.5 times what the noise explains (√2 sigma in two dimensions), and that stand out among the others. */
function movingTracks(r: Reconstruction, residualPx: Float64Array, obsOf: Int32Array, sigma: number): { track: number; rms: number }[] {
  const sums = new Map<number, { sum: number; n: number }>();
  obsOf.forEach((o, i) => {
    const entry = sums.get(r.obs.track[o]) ?? { sum: 0, n: 0 };
    entry.sum += residualPx[i] ** 2;
    entry.n += 1;
    sums.set(r.obs.track[o], entry);
  });
  // by the noise of an observation, or by how unlike each other the tracks are: some follow better than others, and none of those moves
  const all = [...sums.values()].map(({ sum, n }) => Math.sqrt(sum / n));
  const middle = median(all);
  const unlike = 1.4826 * median(all.map((v) => Math.abs(v - middle)));
  const limit = Math.max(MOVES_SIGMAS * Math.max(sigma, LEAST_NOISE_PX), middle + UNLIKE_SIGMAS * unlike);
  return [...sums].flatMap(([track, { sum, n }]) => (Math.sqrt(sum / n) > limit ? [{ track, rms: Math.sqrt(sum / n) }] : []));
}

/** Tracks without a place: those whose rays do not meet move by themselves; the others were seen under too little parallax. */
function nameMoving(r: Reconstruction, trimmed: TrimmedObservation[], warnings: Warning[]): void {
  const { residualPx } = r.adjustAll(Infinity, 0);
  const limitPx = MOVES_SIGMAS * Math.max(noiseOf(residualPx), LEAST_NOISE_PX);
  let flat = 0;
  r.points.forEach((point, t) => {
    if (point || r.rejected[t]) return;
    if (r.obs.byTrack[t].filter((o) => r.poses[r.obs.frame[o]]).length < 3) return;
    const missPx = r.missOf(t);
    if (missPx > limitPx) {
      r.rejected[t] = 1;
      trimmed.push({ track: r.obs.trackIds[t], frame: null, residualPx: missPx, reason: 'moving' });
    } else flat += 1;
  });
  if (flat > 0) warnings.push(SOLVE.LITTLE_PARALLAX(flat));
}

/** A frame that fits ten times worse than the rest has no camera to speak of. */
function dropLostFrames(r: Reconstruction, residualPx: Float64Array, obsOf: Int32Array, sigma: number): number {
  const byFrame = new Map<number, number[]>();
  obsOf.forEach((o, i) => {
    const list = byFrame.get(r.obs.frame[o]) ?? [];
    list.push(residualPx[i]);
    byFrame.set(r.obs.frame[o], list);
  });
  let lost = 0;
  r.poses.forEach((pose, f) => {
    if (!pose) return;
    const list = byFrame.get(f);
    if (!list || list.length < 4 || median(list) > 10 * Math.max(sigma, 0.1)) {
      r.poses[f] = null;
      lost += 1;
    }
  });
  return lost;
}

/** Were the coefficients normalised by the recorded focal length (the map is fixed in the picture) or by the true one (it follows)? */
function chooseNormalisation(r: Reconstruction, lens: SolveLens, rule: FocalRule, warnings: Warning[]): number {
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

/** Drops observations above 3 sigma and adjusts again, up to three rounds; says when that did not help. */
function trim(r: Reconstruction, trimmed: TrimmedObservation[], progress: NonNullable<SolveOptions['onProgress']>, warnings: Warning[]): number {
  let iterations = 0;
  for (let round = 0; round < 3; round += 1) {
    const { residualPx, obsOf } = r.adjustAll(Infinity, 0);
    const limitPx = trimLimitPx(residualPx);
    let count = 0;
    obsOf.forEach((o, i) => {
      if (residualPx[i] <= limitPx) return;
      r.dropped[o] = 1;
      count += 1;
      trimmed.push({ track: r.obs.trackIds[r.obs.track[o]], frame: r.obs.frames[r.obs.frame[o]], residualPx: residualPx[i], reason: 'trim' });
    });
    if (count === 0) break;
    const after = r.adjustAll(Infinity, 15, 1e-6, () => {
      iterations += 1;
      progress({ stage: 'trimming', done: round, total: 3 });
    });
    const rms = (list: Float64Array) => Math.sqrt(list.reduce((s, e) => s + e * e, 0) / Math.max(1, list.length));
    if (rms(after.residualPx) > rms(residualPx)) warnings.push(SOLVE.TRIM_MADE_WORSE());
  }
  return iterations;
}
