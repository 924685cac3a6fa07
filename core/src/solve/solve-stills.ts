import type { AnchorFacts } from '../facts';
import { seededRandom, type Vec3 } from '../math';
import type { TrackPoint } from '../track/track-point';
import { once, SOLVE, type Warning } from '../warnings';
import { assembleFree, failed } from './assemble';
import { farthestApart, LITTLE_PX, motionSeen, onFrames, solveTurn } from './move-or-turn';
import { buildObservations, reprofile, type Observations } from './observations';
import { slopeError } from './absolute-pose';
import { dropSightingsOff } from './one-sighting-off';
import { placeRest, refineAll, refineInStages, type Progress } from './refine';
import { centerOf, Reconstruction, type FocalRule } from './reconstruction';
import { rotationOnly } from './relative-pose';
import type { SolveProgress, SolveResult, TrimmedObservation } from './result';
import { readSolveSetup, type SolveLens, type SolveSetup } from './setup';
import { ruleOf } from './solve-tracks';
import { dropWild, MIN_RAY_ANGLE_RAD, MIN_SHARED_TRACKS, startsFromPair, type PairCandidate } from './start';

/** What a still's camera has of its own. */
export interface StillView {
  /** of its tracks */
  frame: number;
  /** its recorded focal length in its pixels over that of the setup, in the setup's */
  focalShare: number;
  /** stills of one name share what is found of their focal length; the first name is the setup's own */
  lens: string;
}

/** A camera in the world of the pictures alone. */
export interface LooseCamera {
  frame: number;
  center: Vec3;
  up: Vec3;
  forward: Vec3;
}
interface StillsOptions {
  seed?: number;
  /** what ties the pictures to the world, once it is known how they lie to one another; default the setup's anchors */
  anchorsOf?: (cameras: readonly LooseCamera[]) => AnchorFacts;
  onProgress?: (p: SolveProgress) => void;
}

/** Pairs of pictures that a start is tried from. */
const PAIRS_TRIED = 6;
/** Places in each picture while a start is grown, those in most pictures first. */
const START_TRACKS = 160;
/** Of one lens, stills below which its focal length stays what was recorded of it. */
export const LEAST_OF_LENS = 3;
const MOST_ANGLE_RAD = 0.14;
/** Pictures of which a walk asks how long their lens was. */
const LEAST_FOR_FOCAL = 5;
/** Focal lengths over the recorded one from which a walk is tried, and how far from there it may go while the world grows, share. */
const OTHER_FOCALS = [1, 0.71, 1.41, 0.5, 2];
const GROWTH_SHARE = 0.1;
/** Mean of the squares, cut at 25 px², of a world that explains nearly everything; places in two pictures alone are seldom all placed. */
const GOOD = 3;
/** Where it is no worse than this, the focal length is no reason to begin again. */
const FAIR = 8;
/** A sighting further off than this is of another thing. */
const SIGHTING_SIGMAS = 5;
const SETTLING_ROUNDS = 3;
/** Worlds that are refined, unless one plainly holds together: of its places hardly any contradict, and they miss by what laying pictures over each other does. */
const WORLDS_REFINED = 3;
const PLAIN_APART = 0.08;
const PLAIN_NOISE_PX = 0.4;
const SETTLING_PX = 8;

/**
 * Single pictures of one place solved together: unlike the frames of a shot they have no order in time, sizes and focal lengths of their own, and each
 * place is in a few of them only.
 * @param tracks `frame` is the still; px from the corner of a picture of the setup's size, whose middle is that of each still
 * @param setup of the first lens; its focal length held, guided or free. Those of other lenses are found beside it where enough stills have them
 * @returns a result as that of a shot; `frames[].focalMm` is a still's own in px of it over the setup's px a mm. A walk that only turns is a `pan`
 * @throws CoreError for bad input
 */
export function solveStills(tracks: readonly TrackPoint[], views: readonly StillView[], setup: SolveSetup, options: StillsOptions = {}): SolveResult {
  const lens = readSolveSetup(setup);
  const progress: Progress = options.onProgress ?? (() => undefined);
  const random = seededRandom(options.seed ?? 1);
  const warnings: Warning[] = [];
  const shares = new Map(views.map((v) => [v.frame, v.focalShare]));
  const withShares = (points: readonly TrackPoint[]): Observations => {
    const built = buildObservations(points, lens.map);
    reprofile(
      built,
      Float64Array.from(built.frames, (f) => shares.get(f) ?? 1),
    );
    return built;
  };
  const obs = withShares(tracks);
  const fail = (reason: string) => failed(setup, lens, reason, warnings);
  if (obs.frames.length < 2) return fail(`too few pictures: ${obs.frames.length} with places that another one has too`);
  // fewer match too loosely to be asked how long it was
  const rule = obs.frames.length < LEAST_FOR_FOCAL ? { held: true } : ruleOf(setup, lens.recordedMm);
  const sparse = withShares(longestTracks(tracks, obs));
  const probe = new Reconstruction(sparse, lens.map, lens.recordedMm, rule);
  const ranked = rankedPairs(probe);
  if (ranked.length === 0) return fail(`too few places in common: no two pictures share ${MIN_SHARED_TRACKS}`);
  progress({ stage: 'starting pair', done: 0, total: 1 });
  if (!motionSeen(probe, ranked.slice(0, 4), random)) {
    const { turned } = solveTurn({ obs, lens, setup, rule, options, warnings, pairs: onFrames(farthestApart(ranked), sparse, obs) });
    // what no turn explains either is no walk that only turned
    return (turned.noisePx ?? Infinity) < LITTLE_PX ? turned : fail('neither a turn nor a move explains what the pictures share: too few places tie them. Take one more between each two');
  }

  const grown = grownWorlds(sparse, lens, rule, ranked, random, progress);
  if (grown.length === 0) return fail('no starting pair: no two pictures say how the camera moved between them');
  // of worlds that grew alike the refined ones tell which is bent: the first that plainly holds together, else the one that does best
  let best: Refined | null = null;
  for (const world of grown.slice(0, WORLDS_REFINED)) {
    const refined = refinedWorld(world, obs, { lens, rule, zoom: rule.held ? null : ofOtherLenses(obs, views), random, progress });
    if (!best || worth(refined) < worth(best)) best = refined;
    if (refined.apart < PLAIN_APART && refined.r.noisePx < PLAIN_NOISE_PX && refined.r.placedFrames().length === obs.frames.length) break;
  }
  const { r, trimmed, iterations, apart } = best!;
  warnings.push(...best!.warnings);
  progress({ stage: 'uncertainty', done: 0, total: 1 });
  if (apart > MOST_CONTRADICTING)
    return fail(
      `the pictures do not hold together: ${Math.round(100 * apart)} % of the places that are in three of them or more lie elsewhere in one than in the others. Too few tie neighbours to each other: take one more between each two`,
    );
  const anchors = options.anchorsOf?.(looseCameras(r)) ?? setup.anchors;
  const {
    mirrored,
    focalTold: _told,
    along: _along,
    ...solved
  } = assembleFree(r, lens, { ...setup, anchors }, { warnings: once(warnings), trimmed, iterations, focalMode: setup.focal.mode ?? 'held' });
  return mirrored ? { ...solved, warnings: [SOLVE.MIRRORED(mirrored), ...solved.warnings] } : solved;
}

/** Worlds from several pairs and, where none explains nearly everything, from other focal lengths; the one that explains most first. */
function grownWorlds(sparse: Observations, lens: SolveLens, rule: FocalRule, ranked: readonly PairCandidate[], random: () => number, progress: Progress): Reconstruction[] {
  const grown: { r: Reconstruction; score: number }[] = [];
  const total = sparse.frames.length;
  for (const factor of rule.held ? [1] : OTHER_FOCALS) {
    if (grown.some((g) => g.score < FAIR)) break;
    for (const [i, pair] of ranked.slice(0, PAIRS_TRIED).entries()) {
      progress({ stage: 'starting pair', done: i, total: PAIRS_TRIED });
      const focalMm = factor * lens.recordedMm;
      // a few pictures hardly see the focal length: while the world grows it is held near where it begins
      const sides = startsFromPair(sparse, lens.map, focalMm, rule.held ? rule : { held: false, priorMm: focalMm, priorSigmaMm: GROWTH_SHARE * focalMm }, pair, random, true);
      for (const r of sides) {
        growOneByOne(r, random, (done) => progress({ stage: 'frames placed', done, total }));
        r.adjustAll(2, 15, 1e-5);
        grown.push({ r, score: scoreOf(r) });
      }
      const best = grown.reduce((p, q) => (q.score < p.score ? q : p), grown[0]);
      if (best && best.score < GOOD && best.r.placedFrames().length === total) return [best.r];
    }
  }
  return grown.sort((p, q) => p.score - q.score).map((g) => g.r);
}

interface Refined {
  r: Reconstruction;
  trimmed: TrimmedObservation[];
  warnings: Warning[];
  iterations: number;
  /** share of what contradicts, see `contradicting` */
  apart: number;
}
/** Of two worlds the better one: less that contradicts, less noise, more pictures. */
const worth = ({ r, apart }: Refined): number => ((apart + 0.02) * r.noisePx) / r.placedFrames().length ** 2;

interface Refining {
  lens: SolveLens;
  rule: FocalRule;
  zoom: Reconstruction['zoom'];
  random: () => number;
  progress: Progress;
}

/** All places and pictures of a grown world adjusted, and what does not belong left out. */
function refinedWorld(world: Reconstruction, obs: Observations, { lens, rule, zoom, random, progress }: Refining): Refined {
  // each world finds focal lengths of its own, and the slopes of its places go with them
  const own: Observations = { ...obs, profile: obs.profile.slice(), xMm: obs.xMm.slice(), yMm: obs.yMm.slice() };
  const r = world.carryTo(own, rule);
  r.lensPriors = lens.priors;
  r.zoom = zoom;
  // lengths of the lenses and the world are bent to each other yet: nothing is judged before they have settled
  for (let round = 0; round < SETTLING_ROUNDS; round += 1) {
    r.triangulate(MIN_RAY_ANGLE_RAD, SETTLING_PX);
    r.adjustAll(2, 25, 1e-5);
  }
  placeRest(r, random, (done) => progress({ stage: 'frames placed', done, total: own.frames.length }));
  const [trimmed, warnings]: [TrimmedObservation[], Warning[]] = [[], []];
  // the lengths of the lenses stand on what was recorded: nothing changes along time, so no knots are chosen
  let iterations = refineInStages({ r, lens, rule, zooms: false, trimmed, progress, warnings });
  // what was left out while the rest still moved is asked again
  r.rejected.fill(0);
  r.triangulate(MIN_RAY_ANGLE_RAD, SIGHTING_SIGMAS * r.noisePx);
  iterations += refineAll(r, trimmed, progress, warnings);
  if (dropSightingsOff(r, SIGHTING_SIGMAS * r.noisePx) > 0) iterations += refineAll(r, trimmed, progress, warnings);
  const back = new Set(own.trackIds.filter((_, t) => r.points[t]));
  return { r, trimmed: trimmed.filter((t, i) => !back.has(t.track) && trimmed.findIndex((q) => q.track === t.track) === i), warnings, iterations, apart: contradicting(r) };
}

/** Mean of the squares in places that three pictures or more have, cut at 25 px²; what two alone have fits any world. One that has no place counts in full. */
function scoreOf(r: Reconstruction): number {
  const { obs } = r;
  let [sum, count] = [0, 0];
  obs.byTrack.forEach((list, t) => {
    if (list.length < 3) return;
    const point = r.points[t];
    for (const o of list) {
      const pose = r.poses[obs.frame[o]];
      const px = point && pose ? slopeError(pose, { point, x: obs.xMm[o] / r.focalMm, y: obs.yMm[o] / r.focalMm }) * r.slopeToPx * obs.profile[obs.frame[o]] : Infinity;
      sum += Math.min(CUT_PX2, px * px * obs.weight[o]);
      count += 1;
    }
  });
  return sum / Math.max(1, count);
}
const CUT_PX2 = 25;

/** First by points as they are, then by points that few and near pictures placed a few pixels off. */
const PLACE_PX = [3, 10];
const LEAST_SIGHTINGS = 10;

/**
 * Grows over all pictures: the one that sees most known places next. Unlike the frames of a shot each lies far from the others and sees places that two
 * pictures placed, so that everything is adjusted after each, and a picture that did not fit is tried again after others.
 */
function growOneByOne(r: Reconstruction, random: () => number, onPlaced: (placed: number) => void): void {
  const open = new Set(r.poses.flatMap((p, f) => (p ? [] : [f])));
  const tried = new Set<number>();
  for (;;) {
    const [next] = [...open].filter((f) => !tried.has(f)).map((f) => ({ f, known: r.sightings(f).length })).sort((a, b) => b.known - a.known); // prettier-ignore
    if (!next || next.known < LEAST_SIGHTINGS) return;
    tried.add(next.f);
    if (!PLACE_PX.some((px) => r.place(next.f, px, random, LEAST_SIGHTINGS))) continue;
    r.triangulate(
      MIN_RAY_ANGLE_RAD,
      6,
      Array.from(r.obs.byFrame[next.f], (o) => r.obs.track[o]),
    );
    const { residualPx, obsOf } = r.adjustAll(2, 12, 1e-4);
    dropWild(r, residualPx, obsOf);
    open.delete(next.f);
    tried.clear();
    onPlaced(r.placedFrames().length);
  }
}

/** Of the places that three pictures or more have, this share may lie elsewhere: things that moved, or look alike. In a world that is bent it is more. */
const MOST_CONTRADICTING = 0.15;

/** Share of the places in three placed pictures or more that were left out. */
function contradicting(r: Reconstruction): number {
  const placed = (t: number) => r.obs.byTrack[t].filter((o) => r.poses[r.obs.frame[o]]).length;
  const of = r.points.flatMap((_, t) => (placed(t) > 2 ? [t] : []));
  return of.length === 0 ? 0 : of.filter((t) => r.rejected[t] || !r.points[t]).length / of.length;
}

const looseCameras = (r: Reconstruction): LooseCamera[] =>
  r.poses.flatMap((pose, f): LooseCamera[] => {
    if (!pose) return [];
    const m = pose.rotation;
    return [{ frame: r.obs.frames[f], center: centerOf(pose), up: [-m[3], -m[4], -m[5]], forward: [m[6], m[7], m[8]] }];
  });

/** Those in most pictures first, until each picture has enough or has all of its own. */
function longestTracks(tracks: readonly TrackPoint[], obs: Observations): TrackPoint[] {
  const order = obs.byTrack.map((_, t) => t).sort((a, b) => obs.byTrack[b].length - obs.byTrack[a].length || a - b);
  const has = new Int32Array(obs.frames.length);
  const kept = new Set<string>();
  for (const t of order) {
    const frames = Array.from(obs.byTrack[t], (o) => obs.frame[o]);
    if (frames.every((f) => has[f] >= START_TRACKS)) continue;
    kept.add(obs.trackIds[t]);
    for (const f of frames) has[f] += 1;
  }
  return tracks.filter((p) => kept.has(p.track));
}

/** Every two pictures by their parallax, as those of a shot are ranked; only that pictures far from each other in the list may lie side by side. */
function rankedPairs(r: Reconstruction): PairCandidate[] {
  const list: PairCandidate[] = [];
  const count = r.obs.frames.length;
  for (let a = 0; a < count; a += 1)
    for (let b = a + 1; b < count; b += 1) {
      const { pairs, tracks } = r.sharedPairs(a, b);
      if (pairs.length < MIN_SHARED_TRACKS) continue;
      // what is in no third picture carries the start no further
      const further = tracks.filter((t) => r.obs.byTrack[t].length > 2).length;
      const parallaxRad = rotationOnly(pairs).medianSlope;
      list.push({ a, b, shared: pairs.length, parallaxRad, score: Math.min(parallaxRad, MOST_ANGLE_RAD) * Math.sqrt(Math.min(pairs.length, 60)) * Math.sqrt(1 + further) });
    }
  return list.sort((p, q) => q.score - p.score);
}

/** For each lens but the first that has enough stills: one in its own, nought in the others. Null where there is one lens. */
function ofOtherLenses(obs: Observations, views: readonly StillView[]): { count: number; basis: Float64Array } | null {
  const lensOf = new Map(views.map((v) => [v.frame, v.lens]));
  const names = [...new Set(views.map((v) => v.lens))].slice(1).filter((name) => obs.frames.filter((f) => lensOf.get(f) === name).length >= LEAST_OF_LENS);
  if (names.length === 0) return null;
  const basis = new Float64Array(obs.frames.length * names.length);
  obs.frames.forEach((f, i) => {
    const k = names.indexOf(lensOf.get(f) ?? '');
    if (k >= 0) basis[i * names.length + k] = 1;
  });
  return { count: names.length, basis };
}
