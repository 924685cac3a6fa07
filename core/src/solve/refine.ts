import { sigmaFromMedianRadius } from '../estimate';
import { median } from '../math';
import { SOLVE, type Warning } from '../warnings';
import { concentrate } from './concentrate';
import { adjustFew, fewFramesOf } from './few-frames';
import { freeLens, freeRest } from './free-lens';
import { withoutLeaning } from './leaning';
import { chooseNormalisation } from './normalisation';
import { driftOf } from './residual-drift';
import { MIN_RAY_ANGLE_RAD, triangulateFlatter } from './start';
import type { FocalRule, Reconstruction } from './reconstruction';
import type { SolveProgress, TrimmedObservation } from './result';
import type { SolveLens } from './setup';
import { trimLimitPx } from './trim';
import { chooseKnots } from './zoom';

/** Rounds of the last adjustment; a shot that needs more is told apart from one that settled. Of a small one a round takes little, and a valley may be long. */
const LAST_ITERATIONS = 80;
const LAST_ITERATIONS_SMALL = 160;
const SMALL_PLACES = 20_000;

export const lastRounds = (r: Reconstruction): number => (r.obs.count < SMALL_PLACES ? LAST_ITERATIONS_SMALL : LAST_ITERATIONS);

export type Progress = (progress: SolveProgress) => void;

/**
 * Places all other frames, from the placed ones outwards, adding points where frames run out of them. Returns the frames left over.
 * @param onSettled the frames on which a long shot was adjusted first, before the others are placed
 */
export function placeRest(r: Reconstruction, random: () => number, onPlaced: (done: number) => void, onSettled?: (few: ReadonlySet<number>) => void): number[] {
  let open = r.poses.flatMap((p, f) => (p ? [] : [f]));
  let settled = false;
  // the places of short tracks lead on by no more frames than a track lives: as many rounds as it takes
  while (open.length > 0) {
    const before = open.length;
    open = placeOpen(r, open, random, onPlaced);
    r.triangulate(MIN_RAY_ANGLE_RAD, 4);
    const few = settled ? null : fewFramesOf(r);
    if (few) {
      // a long shot of short tracks settles on few of its frames first; the others are placed from those
      settled = true;
      const others = r.placedFrames().filter((f) => !few.has(f));
      adjustFew(r, few, 2);
      onSettled?.(few);
      r.triangulate(MIN_RAY_ANGLE_RAD, 4);
      open = placeOpen(r, [...others, ...open], random, onPlaced);
      r.triangulate(MIN_RAY_ANGLE_RAD, 4);
    } else if (open.length === before && triangulateFlatter(r) === 0) break;
    else if (open.length > 0) r.adjustAll(2, 4, 1e-4);
  }
  onPlaced(r.placedFrames().length);
  return open;
}

/** Places what can be placed of these, the nearest to a placed one first; returns the others. */
function placeOpen(r: Reconstruction, open: number[], random: () => number, onPlaced: (done: number) => void): number[] {
  open.sort((a, b) => nearest(r, a) - nearest(r, b));
  let count = r.placedFrames().length;
  for (const f of open) {
    if (r.place(f, 3, random)) count += 1;
    if (count % 10 === 0) onPlaced(count);
  }
  return open.filter((f) => !r.poses[f]);
}

const nearest = (r: Reconstruction, f: number): number => {
  for (let d = 1; d < r.poses.length; d += 1) if (r.poses[f - d] ?? r.poses[f + d]) return d;
  return Infinity;
};

/**
 * Adjusts all frames; leaves out tracks that do not behave like still points; takes back those that do after all.
 * @param settle down to the floor of the valley; false where more is freed, or other knots are chosen, at once
 */
export function refineAll(r: Reconstruction, trimmed: TrimmedObservation[], progress: Progress, warnings: Warning[], settle = true): number {
  // the keyframes already tell the noise, so that the first round can be the last
  const asTheyAre = r.adjustAll(2, 0);
  let huberPx = Math.max(1e-3, 3 * noiseOfPlaces(r, asTheyAre.residualPx, asTheyAre.obsOf));
  let iterations = 0;
  const rounds = 4;
  for (let round = 0; round < rounds; round += 1) {
    const added = r.triangulate(MIN_RAY_ANGLE_RAD, Math.max(2, 2 * huberPx));
    const last = round === rounds - 1;
    const { residualPx, obsOf } = r.adjustAll(huberPx, round === 0 ? 12 : 20, round === 0 ? 1e-3 : 1e-5, (i) => {
      iterations += 1;
      progress({ stage: 'adjusting', done: round * 10 + Math.min(i, 9), total: rounds * 10 });
    });
    const sigma = Math.max(1e-4, noiseOfPlaces(r, residualPx, obsOf));
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
  if (!settle) return iterations;
  // a long shot of short tracks bends along a flat valley: the cost hardly falls while the focal length still walks
  const last = lastRounds(r);
  const { reason } = r.adjustAll(
    huberPx,
    last,
    1e-3 / r.obs.count,
    (i) => {
      iterations += 1;
      progress({ stage: 'adjusting', done: 36 + Math.min(3, i / 10), total: 40 });
    },
    true,
  );
  // what was stopped on its way before has gone on since
  const stopped = warnings.findIndex((w) => w.code === 'STOPPED_EARLY');
  if (stopped >= 0) warnings.splice(stopped, 1);
  if (reason === 'maxIterations') warnings.push(SOLVE.STOPPED_EARLY(last));
  return iterations;
}

interface Stages {
  r: Reconstruction;
  lens: SolveLens;
  rule: FocalRule;
  zooms: boolean;
  trimmed: TrimmedObservation[];
  progress: Progress;
  warnings: Warning[];
}

/** Everything adjusted, with the knots of a zoom. Returns the rounds it took. */
export function refineWhole({ r, lens, zooms, trimmed, progress, warnings }: Stages): number {
  let iterations = zooms ? chooseKnots(r, 2) : 0;
  // round a wrong place a picture grows in no way that a still thing does: found before anything is left out for it
  if (zooms && lens.alsoFree.length > 0) iterations += freeRest(r, lens);
  iterations += refineAll(r, trimmed, progress, warnings, !zooms);
  if (zooms) {
    iterations += chooseKnots(r, 3 * r.noisePx);
    iterations += refineAll(r, trimmed, progress, warnings);
  }
  return iterations;
}

/** Then what of the lens is free, then once more without a thing that bends the whole. Returns the rounds it took. */
export function refineLens({ r, lens, rule, zooms, trimmed, progress, warnings }: Stages): number {
  let iterations = 0;
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
    for (const { track, rms } of bent) trimmed.push({ track: r.obs.trackIds[track], frame: null, residualPx: rms, reason: 'moving' });
    iterations += refineAll(r, trimmed, progress, warnings);
  }
  const leaning = zooms || r.pair ? [] : withoutLeaning(r);
  if (leaning.length > 0) {
    for (const { track, rms } of leaning) trimmed.push({ track: r.obs.trackIds[track], frame: null, residualPx: rms, reason: 'moving' });
    iterations += refineAll(r, trimmed, progress, warnings);
  }
  if (!zooms && !lens.freeDistortion) iterations += chooseNormalisation(r, lens, rule, warnings);
  return iterations;
}

/** Both, one after the other. */
export const refineInStages = (stages: Stages): number => refineWhole(stages) + refineLens(stages);

/** One-axis noise of residual lengths, px; half of them may be wild. */
export const noiseOf = (residualPx: Float64Array): number => sigmaFromMedianRadius(median(residualPx));

/** Of a distance of two coordinates of the same noise: its middle over the root of its mean square. */
const MIDDLE_OF_RMS = Math.sqrt(Math.LN2);

/**
 * The same of all places in frames that were placed: those of tracks that were left out lie beyond any, and those of tracks that found no depth as far
 * off as they are from the best one. What leaves much out fits what it keeps.
 */
export function noiseOfAll(r: Reconstruction): number {
  const all = Array.from(r.adjustAll(Infinity, 0).residualPx);
  r.points.forEach((point, t) => {
    if (point) return;
    const places = r.obs.byTrack[t].filter((o) => r.poses[r.obs.frame[o]]).length;
    if (places < 3) return;
    const off = r.rejected[t] ? Infinity : MIDDLE_OF_RMS * r.missOf(t);
    for (let k = 0; k < places; k += 1) all.push(off);
  });
  return noiseOf(Float64Array.from(all));
}

/** Of each track the sum of its squared residuals, and their number. */
function squaresByTrack(r: Reconstruction, residualPx: Float64Array, obsOf: Int32Array): Map<number, { sum: number; n: number }> {
  const sums = new Map<number, { sum: number; n: number }>();
  obsOf.forEach((o, i) => {
    const entry = sums.get(r.obs.track[o]) ?? { sum: 0, n: 0 };
    entry.sum += residualPx[i] ** 2;
    entry.n += 1;
    sums.set(r.obs.track[o], entry);
  });
  return sums;
}

/** Of the sightings, a larger share in places that are seen twice only is counted by what their places leave free. */
const MANY_PAIRS = 0.2;

/**
 * The same where places are seen a few times only: of two sightings a place takes up three numbers of four, so that their residuals say a quarter of the
 * noise. Each place that is seen more often says it by its own redundancy, and the middle of them counts.
 */
function noiseOfPlaces(r: Reconstruction, residualPx: Float64Array, obsOf: Int32Array): number {
  const all = [...squaresByTrack(r, residualPx, obsOf).values()];
  const longer = all.filter((q) => q.n > 2);
  const pairs = all.reduce((s, q) => s + (q.n === 2 ? 2 : 0), 0);
  if (longer.length === 0 || pairs < MANY_PAIRS * obsOf.length) return noiseOf(residualPx);
  // of chi squared with k degrees the middle is about k (1 − 2/9k)³ (Wilson & Hilferty 1931)
  return median(longer.map(({ sum, n }) => Math.sqrt(sum / ((2 * n - 3) * (1 - 2 / (9 * (2 * n - 3))) ** 3))));
}

/** RMS of a track over the noise of one axis that a still one does not reach (√2 sigma are usual), and the noise that tracks have at least, px. */
export const MOVES_SIGMAS = 2.5 * Math.SQRT2;
export const LEAST_NOISE_PX = 0.02;
/** A track is off by more than this among its like in one of some ten thousand. */
const UNLIKE_SIGMAS = 4;

/** Tracks whose RMS is 2.5 times what the noise explains (√2 sigma in two dimensions), and that stand out among the others. */
function movingTracks(r: Reconstruction, residualPx: Float64Array, obsOf: Int32Array, sigma: number): { track: number; rms: number }[] {
  const sums = squaresByTrack(r, residualPx, obsOf);
  // by the noise of an observation, or by how unlike each other the tracks are: some follow better than others, and none of those moves
  const all = [...sums.values()].map(({ sum, n }) => Math.sqrt(sum / n));
  const middle = median(all);
  const unlike = 1.4826 * median(all.map((v) => Math.abs(v - middle)));
  const limit = Math.max(MOVES_SIGMAS * Math.max(sigma, LEAST_NOISE_PX), middle + UNLIKE_SIGMAS * unlike);
  return [...sums].flatMap(([track, { sum, n }]) => (Math.sqrt(sum / n) > limit ? [{ track, rms: Math.sqrt(sum / n) }] : []));
}

/** Tracks without a place: those whose rays do not meet move by themselves; the others were seen under too little parallax. */
export function nameMoving(r: Reconstruction, trimmed: TrimmedObservation[], warnings: Warning[]): void {
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
  // what a witness sees at the same moment holds the main camera too
  const cameraOf = (f: number): number => (r.pair && r.pair.partner[f] >= 0 ? r.pair.partner[f] : f);
  obsOf.forEach((o, i) => {
    const frame = cameraOf(r.obs.frame[o]);
    const list = byFrame.get(frame) ?? [];
    list.push(residualPx[i]);
    byFrame.set(frame, list);
  });
  let lost = 0;
  r.poses.forEach((pose, f) => {
    if (!pose || cameraOf(f) !== f) return;
    const list = byFrame.get(f);
    if (!list || list.length < 4 || median(list) > 10 * Math.max(sigma, 0.1)) {
      r.poses[f] = null;
      lost += 1;
    }
  });
  return lost;
}

/** Drops observations above 3 sigma and adjusts again, up to three rounds; says when that did not help. */
export function trim(r: Reconstruction, trimmed: TrimmedObservation[], progress: Progress, warnings: Warning[]): number {
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
