import { median, seededRandom } from '../math';
import type { Observations } from './observations';
import { reprofile } from './observations';
import type { Reconstruction } from './reconstruction';
import type { SolveResult } from './result';
import type { SolveSetup } from './setup';

/**
 * A zoom: one focal length a frame, along a cubic spline over time.
 * Model    f_t = f (p_t + Σ b_k(t) z_k): p the profile so far, b all cubic B-splines of uniform knots but one (with the constant they span the
 *          same; de Boor, A Practical Guide to Splines, ch. IX).
 * Knots    more of them while each takes more than PAYS off χ².
 */
const PIECES = [1, 2, 4, 7, 12, 20, 32, 48, 72];
/** Of χ², what a further coefficient must take away at least: too few knots bend the path, too many only widen the sigmas. */
const PAYS = 4;
/** Frames that one piece of the spline stands on at least; of a turn, whose every frame says it by itself, so few. */
const LEAST_FRAMES = 3;
const LEAST_FRAMES_OF_TURN = 1.2;
const ITERATIONS = 20;
/** Relative fall of the cost that ends the rounds of one choice of knots: a tenth of what a coefficient must pay in a shot of some thousand places. */
const KNOTS_TOLERANCE = 1e-5;

/** Values of `pieces + 2` functions of time at each frame, frame by frame. */
export function splineBasis(frames: readonly number[], pieces: number): { count: number; basis: Float64Array } {
  const count = pieces + 2; // pieces + 3 B-splines, less one
  const [first, last] = [frames[0], frames[frames.length - 1]];
  const basis = new Float64Array(frames.length * count);
  frames.forEach((frame, f) => {
    const t = (pieces * (frame - first)) / Math.max(1, last - first);
    const at = Math.min(pieces - 1, Math.floor(t));
    const u = t - at;
    const b = [(1 - u) ** 3 / 6, (3 * u ** 3 - 6 * u ** 2 + 4) / 6, (-3 * u ** 3 + 3 * u ** 2 + 3 * u + 1) / 6, u ** 3 / 6];
    b.forEach((v, k) => {
      // the first of all is left out
      if (at + k > 0) basis[f * count + at + k - 1] = v;
    });
  });
  return { count, basis };
}

const PAIRS = 240;

/**
 * How the picture grows from frame to frame, as a first guess of how the focal length does: the middle ratio of distances between tracks that lie far
 * apart. A camera that moves forwards makes the picture grow too; what is its and what the lens's the adjustment tells.
 * @returns by frame, with a mean of 1
 */
export function growthOfPicture(obs: Observations): Float64Array {
  const random = seededRandom(5);
  const logs = new Float64Array(obs.frames.length);
  for (let f = 1; f < obs.frames.length; f += 1) {
    const before = new Map(Array.from(obs.byFrame[f - 1], (o) => [obs.track[o], o]));
    const both = Array.from(obs.byFrame[f]).flatMap((o) => (before.has(obs.track[o]) ? [[before.get(obs.track[o])!, o] as const] : []));
    const ratios: number[] = [];
    const spread = median(both.map(([o]) => Math.hypot(obs.xMm[o], obs.yMm[o])));
    for (let n = 0; n < PAIRS && both.length >= 4; n += 1) {
      const [a, b] = [both[Math.floor(random() * both.length)], both[Math.floor(random() * both.length)]];
      const was = Math.hypot(obs.xMm[a[0]] - obs.xMm[b[0]], obs.yMm[a[0]] - obs.yMm[b[0]]);
      if (was > 0.5 * spread) ratios.push(Math.hypot(obs.xMm[a[1]] - obs.xMm[b[1]], obs.yMm[a[1]] - obs.yMm[b[1]]) / was);
    }
    logs[f] = logs[f - 1] + (ratios.length > 20 ? Math.log(median(ratios)) : 0);
  }
  // what shakes from frame to frame is no zoom
  const smooth = logs.map((_, f) => {
    const near = logs.subarray(Math.max(0, f - 3), f + 4);
    return near.reduce((s, v) => s + v, 0) / near.length;
  });
  return normalised(smooth.map((v) => Math.exp(v)));
}

/** As it was recorded: straight in the logarithm between what was noted. By frame, over the recorded length. */
export function recordedProfile(frames: readonly number[], noted: readonly { frame: number; mm: number }[], recordedMm: number): Float64Array {
  const sorted = [...noted].sort((a, b) => a.frame - b.frame);
  return Float64Array.from(frames, (frame) => {
    const next = sorted.findIndex((n) => n.frame >= frame);
    if (next === 0) return sorted[0].mm / recordedMm;
    if (next < 0) return sorted[sorted.length - 1].mm / recordedMm;
    const [a, b] = [sorted[next - 1], sorted[next]];
    return Math.exp(Math.log(a.mm) + ((frame - a.frame) / (b.frame - a.frame)) * Math.log(b.mm / a.mm)) / recordedMm;
  });
}

export function normalised(profile: Float64Array): Float64Array {
  const mean = profile.reduce((s, v) => s + v, 0) / profile.length;
  return profile.map((v) => v / mean);
}

/** Only where errors go along their tracks by this much more than white noise would, and the picture grows or shrinks so much, is it worth asking. */
export const BENT_FACTOR = 1.5;
const LEAST_GROWTH = 1.04;
/** The noise falls to this share, the drift to this share of what it was above white noise, and the focal length changes by this factor. */
const QUIETER = 0.96;
/** A solve that leaves out what it cannot explain is quiet: one that keeps so many times its tracks may have so many times its noise. */
const KEEPS_MORE = 1.15;
const KEPT_NOISE = 1.3;
const WHITER = 0.5;
const LEAST_CHANGE = 1.02;

/** Whether a lens zoomed is asked of the zoom alone: a principal point off the middle would speak for one too. */
export const AS_ZOOM: Partial<SolveSetup> = { principalPoint: { mode: 'held' } };

/** May it have zoomed? Asked before a solve as a zoom is tried to see whether it did. */
export function mayZoom(obs: Observations, driftFactor: number): boolean {
  if (driftFactor < BENT_FACTOR || obs.frames.length < 12) return false;
  const growth = growthOfPicture(obs);
  return Math.max(...growth) / Math.min(...growth) > LEAST_GROWTH;
}

/** Longest over shortest focal length of a shot that was solved with one, where a solve as a zoom explains the tracks plainly better; else null. */
export function zoomSeen(asOne: Pick<SolveResult, 'noisePx' | 'driftFactor' | 'points'>, asZoom: SolveResult): number | null {
  if (asZoom.status === 'failed' || !asZoom.noisePx || !asOne.noisePx) return null;
  const drift = (s: { driftFactor?: number }) => (s.driftFactor ?? 1) - 1;
  const lengths = asZoom.frames.map((f) => f.focalMm);
  const change = Math.max(...lengths) / Math.min(...lengths);
  const quiet = asZoom.points.length > KEEPS_MORE * asOne.points.length ? KEPT_NOISE : QUIETER;
  return asZoom.noisePx < quiet * asOne.noisePx && drift(asZoom) < WHITER * drift(asOne) && change > LEAST_CHANGE ? change : null;
}

/** As many knots as the data pay for; the reconstruction keeps the last that paid. Returns the rounds that it took. */
export function chooseKnots(r: Reconstruction, huberPx: number, tolerance = KNOTS_TOLERANCE): number {
  let rounds = 0;
  let failures = 0;
  let best: { cost: number; profile: Float64Array; focalMm: number; pieces: number } | null = null;
  // what was chosen before lies in the profile already: fewer would seem to do, and their sigmas be too small
  const chosen = r.zoom ? r.zoom.count - 2 : 1;
  for (const pieces of PIECES.filter((n) => n >= chosen)) {
    if (pieces > chosen && r.obs.frames.length < (r.turnOnly ? LEAST_FRAMES_OF_TURN : LEAST_FRAMES) * pieces) break;
    r.zoom = splineBasis(r.obs.frames, pieces);
    const { costPerObs, obsOf } = r.adjustAll(huberPx, ITERATIONS, tolerance);
    rounds += ITERATIONS;
    const cost = costPerObs * obsOf.length;
    // twice the cost over the variance of one coordinate is χ²
    const variance = Math.max(1e-6, (best ?? { cost }).cost / Math.max(1, obsOf.length));
    const coefficients = pieces - (best?.pieces ?? 0);
    if (best && (2 * (best.cost - cost)) / variance < coefficients * PAYS) {
      // knots that lie badly for a kink may pay only when there are more of them
      if ((failures += 1) > 1) break;
      continue;
    }
    failures = 0;
    best = { cost, profile: r.obs.profile.slice(), focalMm: r.focalMm, pieces };
  }
  if (best) {
    r.zoom = splineBasis(r.obs.frames, best.pieces);
    reprofile(r.obs, best.profile);
    r.focalMm = best.focalMm;
    r.adjustAll(huberPx, ITERATIONS, tolerance);
  }
  return rounds;
}
