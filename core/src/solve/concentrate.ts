import { sigmaFromMedianRadius } from '../estimate';
import { median } from '../math';
import type { Reconstruction } from './reconstruction';
import { driftOf } from './residual-drift';

/** Errors that go along their tracks by this much more than white noise would: the model is bent, by what moves or by the lens. */
const BENT_FACTOR = 1.5;
/** Share of the tracks that a thing which moves may hold at most. */
const HELD_OUT = 0.3;
const STEPS = 5;
/** What is won must be plain: the noise of all that is kept falls to this share. */
const PLAIN = 0.8;
/** Of the tracks, so many must stand still in the end. */
const LEAST_STILL = 0.6;
const LEAST_TRACKS = 24;
/** Tracks that a frame keeps while others are held out. */
const LEAST_IN_FRAME = 8;

/**
 * A thing that moves much as the camera does bends the whole solve a little until it fits: no single track of it is far off, and with a free
 * focal length nothing else tells. Here the tracks that fit worst are held out, the others adjusted, and all judged anew, until the same ones
 * are held out; then whatever fits what is left comes back.
 * Source   least trimmed squares by concentration steps, over tracks instead of observations (Rousseeuw & Van Driessen 2006).
 * @param limitOf RMS of a track above which it moves, px, from the one-axis noise
 * @returns tracks that move, with their RMS; empty and the reconstruction as it was where nothing plain is won
 */
export function concentrate(r: Reconstruction, limitOf: (sigmaPx: number) => number): { track: number; rms: number }[] {
  const before = r.adjustAll(Infinity, 0);
  const placed = r.points.flatMap((p, t) => (p ? [t] : []));
  if (placed.length < LEAST_TRACKS || driftOf(r).factor < BENT_FACTOR) return [];
  const noiseBefore = sigmaFromMedianRadius(median(before.residualPx));
  const restore = r.kept();
  let held = new Set<number>();
  for (let step = 0; step < STEPS; step += 1) {
    const next = worstOf(r, placed);
    if (next.size === held.size && [...next].every((t) => held.has(t))) break;
    held = next;
    for (const t of placed) {
      r.rejected[t] = held.has(t) ? 1 : 0;
      if (held.has(t)) r.points[t] = null;
      else r.points[t] ??= r.intersect(t, 0, Infinity);
    }
    const now = r.adjustAll(Math.max(1e-3, 3 * noiseBefore), 12, 1e-4);
    if (now.residualPx.length === 0) {
      restore();
      return [];
    }
  }
  // what fits comes back, and is adjusted with the others
  let moving: { track: number; rms: number }[] = [];
  for (let round = 0; round < 3; round += 1) {
    const sigma = sigmaFromMedianRadius(median(r.adjustAll(Infinity, 0).residualPx));
    const limit = limitOf(sigma);
    moving = [];
    for (const t of placed) {
      const rms = r.missOf(t);
      const still = rms <= limit;
      if (!still) moving.push({ track: t, rms });
      r.rejected[t] = still ? 0 : 1;
      r.points[t] = still ? (r.points[t] ?? r.intersect(t, 0, Infinity)) : null;
    }
    r.adjustAll(Math.max(1e-3, 3 * sigma), 12, 1e-4);
  }
  const noise = sigmaFromMedianRadius(median(r.adjustAll(Infinity, 0).residualPx));
  if (moving.length === 0 || noise > PLAIN * noiseBefore || moving.length > (1 - LEAST_STILL) * placed.length) {
    restore();
    return [];
  }
  return moving;
}

/** The tracks that fit worst, as many as may move, but none that a frame needs. */
function worstOf(r: Reconstruction, placed: readonly number[]): Set<number> {
  const { obs } = r;
  const inFrame = new Int32Array(obs.frames.length);
  for (const t of placed) for (const o of obs.byTrack[t]) inFrame[obs.frame[o]] += 1;
  const ranked = placed.map((t) => ({ t, rms: r.missOf(t) })).sort((a, b) => b.rms - a.rms);
  const held = new Set<number>();
  for (const { t } of ranked) {
    if (held.size >= HELD_OUT * placed.length) break;
    if (obs.byTrack[t].some((o) => inFrame[obs.frame[o]] <= LEAST_IN_FRAME)) continue;
    held.add(t);
    for (const o of obs.byTrack[t]) inFrame[obs.frame[o]] -= 1;
  }
  return held;
}
