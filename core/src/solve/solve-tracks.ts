import { seededRandom } from '../math';
import { once, SOLVE, type Warning } from '../warnings';
import { asRecorded, countedAs, questionCounting, type TrackCounting } from '../track/counting';
import { assembleFree, failed } from './assemble';
import { heldByPlaces } from './held-by-places';
import { forgetDepthless, partAgain, type PlacedPart } from './join-parts';
import {
  DOUBTFUL_NOISES,
  farthestApart,
  holdsMoreThanTurn,
  leavesMotion,
  leftOver,
  LITTLE_PX,
  motionSeen,
  noiseOfTurn,
  onFrames,
  otherLensOfTurn,
  solveTurn,
  travelPx,
  turnsAfterAll,
} from './move-or-turn';
import { asObject, objectSetup, withoutStill } from './object';
import type { TrackPoint } from '../track/track-point';
import { buildObservations, reprofile } from './observations';
import { outsideNoted } from './outside-noted';
import { bestStart, placeAll } from './place-all';
import { Reconstruction, type FocalRule } from './reconstruction';
import { nameMoving, noiseOfAll, refineAll, refineLens, refineWhole, trim } from './refine';
import type { SolveProgress, SolveResult, TrimmedObservation } from './result';
import { lookedElsewhere, turnByRecord } from './second-starts';
import { secondThoughts } from './second-thoughts';
import type { AnchorFacts } from '../facts';
import { readSolveSetup, type SolveLens, type SolveSetup } from './setup';
import { atMiddleRow, readoutSkewOut } from './readout';
import { toldMisfit } from './misfit';
import { MOST_READOUTS, readoutAsked, toldRead, type ReadoutSeen } from './readout-asked';
import { chooseKeyframes, MIN_SHARED_TRACKS, rankPairs, RICH_SHARED } from './start';
import { onOtherFrames, thinTracks } from './starts';
import { joinSurveyed, zoomedBetween, type Parted } from './surveyed-parts';
import { turnThoughts } from './turn-thoughts';
import { growthOfPicture } from './zoom';

export interface SolveOptions {
  /** drop the worst observations and solve again; default false */
  trim?: boolean;
  seed?: number; // default 1
  /** how the file of the tracks counts, where somebody said it. Without it that is asked, and a doubt is said in `question` and in the warnings */
  counting?: TrackCounting;
  /** where the tracks make no sense as they are read: do not solve them, fail with the question. Default: solve, and say it */
  mustAsk?: boolean;
  /** which tracks are still is all that is asked: nothing is looked for that would make another lens or another move of the same tracks. Default false */
  onlyTracks?: boolean;
  /** throw CancelledError inside to stop */
  onProgress?: (progress: SolveProgress) => void;
}

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
  const counted = countedAs(given, options.counting ?? asRecorded(picture), picture);
  const { tracks, alone } = readoutSkewOut(counted, setup);
  const readout = (solved: SolveResult) => readoutSeenIn(solved, counted, setup, options);
  const { mirrored, ...solved } = joinedByPlaces(solveCounted(tracks, setup, lens, { ...options, readout }), tracks, setup, lens, options);
  const told = options.onlyTracks ? solved : toldMisfit(solved);
  const result = alone === 0 ? told : { ...told, warnings: [SOLVE.PLACES_ALONE(alone), ...told.warnings] };
  if (doubt) return { ...result, question: doubt, warnings: [SOLVE.COUNTING_DOUBTED(doubt.words), ...result.warnings] };
  // a world that its rows made is mirrored by nobody
  if (!mirrored || result.readoutSeen) return result;
  const warned = { ...result, warnings: [SOLVE.MIRRORED(mirrored), ...result.warnings] };
  // whoever said how they count has answered; what speaks against it stays among the warnings
  if (options.counting) return warned;
  return { ...warned, question: { what: 'mirrored', words: mirrored, choices: [{ ...asRecorded(picture), yUp: true }] } };
}

/** Of a focal length that rows may have bent a little. */
const LOOSE_FOCAL = 0.2;

/** Were the rows read otherwise than a solve took them? */
function readoutSeenIn(solved: SolveResult, counted: readonly TrackPoint[], setup: SolveSetup, { seed, onProgress }: SolveOptions): ReadoutSeen | null {
  const { readout: _readout, anchors: _anchors, ...bare } = setup;
  // near what was found already: from one start, not from a dozen
  const mm = (solved.focalMm ?? 0) / (setup.adapterFactor ?? 1);
  const other: SolveSetup = setup.focal.mode === 'zoom' ? bare : { ...bare, focal: { mode: 'guided', mm, sigmaMm: LOOSE_FOCAL * mm } };
  let begun = 0;
  // what is known by now is told to whoever waits; how well, nobody knows before the rows are settled
  const coarse = { focalMm: solved.focalMm ?? 0, sigmaFocalMm: null, noisePx: solved.noisePx ?? 0 };
  return readoutAsked({
    solved,
    tracks: counted,
    setup,
    solveBy(some, share, motion) {
      const as: SolveSetup = { ...other, motion };
      const tell = (more: Partial<SolveProgress> = {}) => onProgress?.({ stage: 'other readouts', done: begun, total: MOST_READOUTS, ...more });
      tell(begun === 0 ? { coarse } : {});
      const { status, noisePx, rowsLean } = solveCounted(atMiddleRow(some, share, setup.image.height).tracks, as, readSolveSetup(as), { seed, stretch: true, onProgress: () => tell() });
      begun = Math.min(MOST_READOUTS, begun + 1);
      return status === 'failed' || noisePx === null || !rowsLean ? null : { noisePx, left: rowsLean };
    },
  });
}

/** Starts that a take is solved from once more at most: near the record or on either side, by the record, and what is told. */
const MOST_STARTS = 5;
/** Lenses that a take is solved by once more at most: a free focal length, squeezes, zooms, and a move that was asked for as a turn. */
const MOST_LENSES = 10;

interface CountedOptions extends SolveOptions {
  /** the squeeze was asked already */
  settled?: boolean;
  /** no other start is tried where the focal length ends far from the record: that is a guess, or this is one of them */
  onlyStart?: boolean;
  /** one stretch of a shot: nothing is asked beyond its cameras and points */
  stretch?: boolean;
  /** asks for another readout */
  readout?: (solved: SolveResult) => ReadoutSeen | null;
}
type Counted = SolveResult & { mirrored?: string | null; parted?: Omit<Parted, 'solved'> };

/** A shot that is parted: what only a survey ties is put beside the rest, and what nothing ties is said. */
function joinedByPlaces({ parted, ...solved }: Counted, tracks: readonly TrackPoint[], setup: SolveSetup, lens: SolveLens, options: SolveOptions): Omit<Counted, 'parted'> {
  if (!parted) return solved;
  const zoomed = zoomedBetween(solved, parted.stretches);
  const solveStretch = (frames: ReadonlySet<number>, anchors: AnchorFacts) =>
    solveCounted(
      tracks.filter((t) => frames.has(t.frame)),
      { ...setup, anchors },
      lens,
      { seed: options.seed, trim: options.trim, stretch: true },
    );
  const whole = joinSurveyed({ solved, ...parted }, setup, solveStretch);
  const parts = parted.stretches.map((s) => s.part);
  const apart = parts.filter((p) => p.holds === 'nothing').map((p) => SOLVE.PART_APART(p.from, p.to));
  const told = { ...whole, parts, warnings: [...apart, ...whole.warnings] };
  if (zoomed === null) return told;
  const reason = `the focal length is another one on the other side of a gap, by about ${(100 * (zoomed - 1)).toFixed(0)} %, and was taken as one`;
  return { ...told, zoomed, status: 'partial', reason: told.reason ? `${told.reason}; ${reason}` : reason, warnings: [SOLVE.LENS_ZOOMS(reason), ...told.warnings] };
}

/** The setup of one stretch: nothing is measured in it, and a zoom is as far as it was noted to be there. */
function stretchSetup(setup: SolveSetup, frames: readonly number[]): SolveSetup {
  const { mm, endMm, profile } = setup.focal;
  const noted = profile ?? (endMm ? [{ frame: frames[0], mm }, { frame: frames[frames.length - 1], mm: endMm }] : undefined); // prettier-ignore
  return { ...setup, anchors: undefined, focal: { ...setup.focal, ...(setup.focal.mode === 'zoom' && noted ? { profile: noted } : {}) } };
}

const partedOf = (r: Reconstruction, parts: readonly PlacedPart[]): Pick<Counted, 'parted'> =>
  parts.length === 0 ? {} : { parted: { stretches: parts.map(({ part, frames }) => ({ part, frames: frames.map((f) => r.obs.frames[f]) })), frames: r.obs.frames } };

export const ruleOf = ({ focal, adapterFactor }: SolveSetup, recordedMm: number): FocalRule => {
  const mode = focal.mode ?? 'held';
  if (mode === 'held') return { held: true };
  const known = mode === 'guided' || (mode === 'zoom' && focal.sigmaMm);
  return known ? { held: false, priorMm: recordedMm, priorSigmaMm: focal.sigmaMm! * (adapterFactor ?? 1) } : { held: false };
};

function solveCounted(tracks: readonly TrackPoint[], setup: SolveSetup, lens: SolveLens, options: CountedOptions): Counted {
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

  const rule = ruleOf(setup, lens.recordedMm);
  const sparse = thinTracks(tracks, obs, lens);
  const zooms = setup.focal.mode === 'zoom';
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
  const asked = (rich.length > 0 ? rich : ranked).slice(0, 4);
  const moves = () => motionSeen(probe, asked, random) || (!zooms && leavesMotion(sparse, lens, setup, rule, ranked));
  const asTurn = (by = lens) => {
    if (zooms && sparse !== obs) reprofile(obs, onOtherFrames(sparse, obs));
    const { turned, r, parts } = solveTurn({ obs, lens: by, setup, rule, options, warnings: read, pairs: onFrames(farthestApart(ranked), sparse, obs) });
    return { ...turnAgain(turned, r), ...partedOf(r, parts) };
  };
  const again = (other: SolveSetup, more: Pick<CountedOptions, 'settled' | 'trim' | 'onlyTracks' | 'onProgress'> = {}) =>
    solveCounted(tracks, other, readSolveSetup(other), { seed: options.seed, onlyStart: true, ...more });
  // whoever waits is told that it goes on, and can stop it there
  let lenses = 0;
  const byOtherLens = (other: SolveSetup, more: Pick<CountedOptions, 'settled' | 'trim' | 'onlyTracks'> = {}) => {
    const onProgress = () => progress({ stage: 'other lenses', done: Math.min(lenses, MOST_LENSES), total: MOST_LENSES });
    onProgress();
    const told = again(other, { ...more, onProgress });
    lenses += 1;
    return told;
  };
  const turnAgain = (turned: SolveResult, r: Reconstruction): SolveResult =>
    options.stretch || options.onlyTracks
      ? turned
      : ((options.onlyStart ? null : turnByRecord(turned, setup, byOtherLens)) ??
        turnThoughts({ turned, r, sparse, lens, setup, moves, readout: (solved) => options.readout?.(solved) ?? null, again: byOtherLens, settled: options.settled ?? false }));
  if (setup.motion === 'pan' || !moves()) return asTurn();

  const started = bestStart({ sparse, setup, lens, rule, keys, zooms, random, progress });
  if (!started) {
    // a wide turn that hardly moves: no two frames say where it went, all of them say how it turned
    if (noiseOfTurn(sparse, lens, rule, ranked, zooms) < LITTLE_PX) return asTurn();
    return fail('no starting pair: no two frames give a consistent camera motion');
  }
  const solveStretch = (frames: ReadonlySet<number>) =>
    solveCounted(
      tracks.filter((t) => frames.has(t.frame)),
      stretchSetup(setup, obs.frames),
      lens,
      { seed: options.seed, stretch: true },
    );
  const shot = placeAll({ started, sparse, obs, lens, rule, keys, zooms, random, progress, solveStretch: options.stretch ? null : solveStretch });
  const { r } = shot;
  const trimmed: TrimmedObservation[] = [];
  let turnPx = 0;
  const holdsMore = () => holdsMoreThanTurn(r, sparse, lens, rule, ranked);
  const turned = () => {
    const noisePx = noiseOfAll(r);
    if (zooms) reprofile(sparse, onOtherFrames(obs, sparse));
    const travel = travelPx(r);
    // a move along what it looks at is hardly told from a zoom, however far it seems to go
    if (!zooms && (travel >= DOUBTFUL_NOISES * noisePx || holdsMore())) return false;
    turnPx = noiseOfTurn(sparse, lens, rule, ranked, zooms);
    return turnsAfterAll(noisePx / leftOver(r), turnPx, travel);
  };
  const stages = { r, lens, rule, zooms, trimmed, progress, warnings };
  let iterations = refineWhole(stages);
  // every zoom is asked: before its lens, which as a move walks far along its valley; of parts only when they are settled
  const early = zooms && shot.parts.length === 0;
  if (early && turned()) return asTurn();
  iterations += refineLens(stages);
  // what did not hold together after all is refined apart
  if (partAgain(r, shot.parts)) iterations += refineAll(r, trimmed, progress, warnings);
  if (!early && turned()) return asTurn();
  const turnedBy = options.onlyTracks || (!zooms && holdsMore()) ? null : otherLensOfTurn(r, sparse, lens, setup, ranked, turnPx);
  if (turnedBy) return asTurn(turnedBy);
  forgetDepthless(r, shot.parts);
  nameMoving(r, trimmed, warnings);
  if (options.trim) iterations += trim(r, trimmed, progress, warnings);
  progress({ stage: 'uncertainty', done: 0, total: 1 });
  const assemble = (more: Warning[] = []) =>
    assembleFree(r, lens, setup, { warnings: once([...more, ...warnings]), trimmed, iterations, focalMode: setup.focal.mode ?? 'held', mayBend: !options.onlyTracks });
  const free = assemble();
  const around = { surveyed: setup.anchors?.points?.length ?? 0, recordedMm: lens.recordedMm, assemble, tell: () => progress({ stage: 'surveyed places', done: 0, total: 1 }) };
  const { focalTold: _told, along: _along, ...tied } = options.stretch || options.onlyTracks ? free : heldByPlaces(r, free, around);
  const solved: Counted = { ...tied, ...partedOf(r, shot.parts) };
  if (options.stretch || options.onlyTracks) return solved;
  if (!options.onlyStart) {
    let begun = 0;
    const by = (onlyTracks: boolean) => (other: SolveSetup) => {
      const onProgress = () => progress({ stage: 'other starts', done: Math.min(begun, MOST_STARTS), total: MOST_STARTS });
      onProgress();
      const told = again(other, { settled: options.settled, trim: options.trim, onlyTracks, onProgress });
      begun += 1;
      return told;
    };
    const told = lookedElsewhere(solved, setup, { asStart: by(true), whole: by(false) }, obs.count);
    if (told !== solved) return told;
  }
  // late rows look like a zoom or a squeeze, and are asked for first
  const seen = options.readout?.(solved) ?? null;
  if (seen) return { ...solved, ...toldRead(solved, seen) };
  if (zooms) return { ...solved, ...outsideNoted(solved, setup) };
  return secondThoughts({ solved, r, sparse, lens, setup, again: byOtherLens, options });
}
