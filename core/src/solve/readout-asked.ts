import { distance, median } from '../math';
import { SOLVE } from '../warnings';
import { inOrder } from './between-frames';
import type { TrackPoint } from '../track/track-point';
import { TURN_EXPLAINS } from './move-or-turn';
import type { ReadoutLeft } from './readout-left';
import type { SolveResult } from './result';
import type { SolveSetup } from './setup';

/** Another readout than the solve took, as the tracks tell it. */
export interface ReadoutSeen {
  /** of a frame's time, from the first row to the last; negative: the last row was read first */
  share: number;
  sigmaShare: number;
  /** the same in milliseconds; null: nobody gave the frame rate */
  ms: number | null;
  sigmaMs: number | null;
  /** what the solve took out; 0: nothing */
  usedMs: number;
  /** with it the camera only turned: the move of the solve was made of the rows */
  turned: boolean;
}

/** Of what the residuals keep of a skew: below so many deviations it is chance. */
const ASKED_SIGMAS = 4.5;
/** A solve that is bent by it as a whole knows it poorly; then it is large beside the noise. */
const ASKED_SIGMAS_LARGE = 2;
const LARGE = 0.1;
/** Errors that go along their tracks so much more than white ones need a reason; where a readout was taken out it may be that. */
const DRIFTS = 4;
/** So many frames tell it: those in which the rows below and above ran apart most. */
const WINDOW = 40;
/** Of a frame: how far the steps go, and nearer than which nobody needs it. */
const STEP = 0.25;
const CLOSE = 0.002;
/** Solves nearer to each other say nothing of the slope. */
const APART = 0.02;
/** More tracks make it slower and hardly surer. */
const TRACKS = 45;
const MOST_SOLVES = 9;
/** Solves altogether: as it was taken, as a turn and as a move, to either side. */
export const MOST_READOUTS = 2 + 3 * MOST_SOLVES;
/** A solve that loses more frames than this fell apart over something. */
const MOST_FRAMES = 0.9;
/** With it the tracks must be plainly quieter. */
const QUIETER = 0.9;
const LEAST_SIGMAS = 5;

/** A stretch of the shot, solved by one readout. */
export interface ReadBy {
  noisePx: number;
  left: ReadoutLeft;
}

interface Asked {
  solved: SolveResult;
  /** as the sensor read them */
  tracks: readonly TrackPoint[];
  setup: SolveSetup;
  /** solves these tracks by that share of a frame, as a turn or as whatever it is; null: that failed */
  solveBy: (tracks: readonly TrackPoint[], share: number, motion: 'free' | 'pan') => ReadBy | null;
}

/**
 * Were the rows read otherwise than the solve took them? Where its residuals lean with their rows, a stretch of the shot is solved by other readouts
 * until they lean no more. As a turn first: a move has so many unknowns that it takes the rows of a turn for its parallax.
 */
export function readoutAsked({ solved, tracks, setup, solveBy }: Asked): ReadoutSeen | null {
  const { fps, readout } = setup;
  const left = solved.rowsLean;
  if (solved.status === 'failed' || !solved.noisePx) return null;
  // a readout without a frame rate was refused before anything was solved
  const used = readout && fps ? (readout.ms / 1000) * fps : 0;
  const drift = solved.driftFactor ?? 1;
  const leans = left && drift > 1 && Math.abs(left.share) > (left.px > LARGE * solved.noisePx ? ASKED_SIGMAS_LARGE : ASKED_SIGMAS) * left.sigma;
  const doubtful = littleTravel(solved, setup);
  const broken = solved.frames.length < MOST_FRAMES * new Set(tracks.map((t) => t.frame)).size;
  if (!leans && !doubtful && !broken && !(readout && drift > DRIFTS)) return null;
  const some = liveliest(tracks, setup.image.height);
  const before = solveBy(some, used, 'free');
  const pan = solved.motion === 'pan';
  if (!before && !pan) return null;
  const beforePx = before?.noisePx ?? Infinity;
  const turn = (share: number) => solveBy(some, share, 'pan');
  const still = turn(used);
  const holds = (found: Upright | null, noisePx: number): Upright | null => (found && found.noisePx < noisePx && Math.abs(found.share - used) > LEAST_SIGMAS * found.sigma ? found : null);
  // what was asked for as a turn is a turn if it leaves no more than a move, whose depths are made of the rows
  const forTurn = still && pan ? Math.min(TURN_EXPLAINS * beforePx, QUIETER * still.noisePx) : (doubtful ? TURN_EXPLAINS : QUIETER) * beforePx;
  const asTurn = holds(still && upright(turn, used, still), forTurn);
  const move = (share: number) => solveBy(some, share, 'free');
  const asMove = (from: ReadBy): Upright | null => upright(move, used, from) ?? (broken ? upright(move, used, from, -Math.sign(from.left.share)) : null);
  const found = asTurn ?? (before && (leans || broken || !doubtful) ? holds(asMove(before), QUIETER * before.noisePx) : null);
  if (!found) return null;
  const { share, sigma: sigmaShare } = found;
  const inMs = (of: number) => (fps ? (of * 1000) / fps : null);
  return { share, sigmaShare, ms: inMs(share), sigmaMs: inMs(sigmaShare), usedMs: readout?.ms ?? 0, turned: asTurn !== null && !pan };
}

/** A move that shifts near and far against each other by less than so many times the noise may be a turn whose rows are late. */
const LITTLE_TRAVEL_NOISES = 120;
function littleTravel({ motion, frames, points, noisePx, focalMm, width }: SolveResult, { sensor, squeeze }: SolveSetup): boolean {
  if (motion === 'pan' || points.length === 0 || !noisePx || !focalMm) return false;
  const extent = Math.max(...frames.map((f) => distance(f.position, frames[0].position)));
  const depth = median(points.map((p) => distance(p.position, frames[0].position)));
  const pxPerSlope = (focalMm * width) / (sensor.widthMm * (squeeze ?? 1));
  return (extent / depth) * pxPerSlope < LITTLE_TRAVEL_NOISES * noisePx;
}

interface Upright {
  share: number;
  sigma: number;
  noisePx: number;
}
type SolveAt = (share: number) => ReadBy | null;
const within = (share: number): number => Math.max(-1, Math.min(1, share));

/**
 * The share of a frame by which the residuals lean no more: in steps to the side that they lean to until they lean to the other one, then between the
 * two (Illinois rule: Dowell & Jarratt, BIT 11, 1971). How strongly they lean far from it says little, since what does not fit was left out; to which
 * side is certain.
 */
function upright(solveAt: SolveAt, from: number, there: ReadBy, way = Math.sign(there.left.share)): Upright | null {
  const seen: Leaning[] = [{ share: from, lean: there.left.share }];
  // these lean to either side
  let [a, b]: [Leaning, Leaning | null] = [seen[0], null];
  for (let i = 0; i < MOST_SOLVES; i += 1) {
    const share: number = b ? (a.share * b.lean - b.share * a.lean) / (b.lean - a.lean) : within(a.share + way * STEP);
    const by = solveAt(share);
    if (!by) return null;
    const here = { share, lean: by.left.share };
    seen.push(here);
    if (Math.abs(here.lean) < by.left.sigma || (b && Math.abs(a.share - b.share) < CLOSE)) return settled(seen, by);
    if (!b && Math.abs(share) === 1) return null;
    // an end that stays counts for half
    if (Math.sign(here.lean) !== Math.sign(a.lean)) b = here;
    else [a, b] = [here, b && { share: b.share, lean: b.lean / 2 }];
  }
  return null;
}

interface Leaning {
  share: number;
  lean: number;
}

/** The last one seen, with the slope to the nearest that is not too near. */
function settled(seen: readonly Leaning[], { left, noisePx }: ReadBy): Upright | null {
  const { share, lean } = seen[seen.length - 1];
  const [other] = seen.filter((s) => Math.abs(s.share - share) > APART).sort((p, q) => Math.abs(p.share - share) - Math.abs(q.share - share));
  const slope = other ? (lean - other.lean) / (share - other.share) : NaN;
  return slope < 0 ? { share, sigma: left.sigma / -slope, noisePx } : null;
}

/** The frames in which places above and below the middle moved most, with the tracks that last longest in them. */
function liveliest(tracks: readonly TrackPoint[], heightPx: number): readonly TrackPoint[] {
  const frames = [...new Set(tracks.map((t) => t.frame))].sort((a, b) => a - b);
  const index = new Map(frames.map((f, i) => [f, i]));
  const lever = new Float64Array(frames.length + 1);
  for (const mine of inOrder(tracks).values())
    mine.forEach((t, i) => {
      const before = mine[i - 1];
      if (before && before.frame === t.frame - 1) lever[index.get(t.frame)! + 1] += ((t.y / heightPx - 0.5) * Math.hypot(t.x - before.x, t.y - before.y)) ** 2;
    });
  for (let i = 1; i <= frames.length; i += 1) lever[i] += lever[i - 1];
  let from = 0;
  for (let i = 0; i + WINDOW <= frames.length; i += 1) if (lever[i + WINDOW] - lever[i] > lever[from + WINDOW] - lever[from]) from = i;
  const [first, end] = [frames[from], frames[Math.min(frames.length, from + WINDOW) - 1]];
  const there = [...inOrder(tracks.filter((t) => t.frame >= first && t.frame <= end)).values()];
  return there
    .sort((a, b) => b.length - a.length)
    .slice(0, TRACKS)
    .flat();
}

/** In which unit it is told: solves that were kept by earlier versions hold no shares. */
const told = ({ share, sigmaShare, ms, sigmaMs }: ReadoutSeen): { size: number; sigma: number } =>
  ms === null || sigmaMs === null ? { size: share, sigma: sigmaShare } : { size: ms, sigma: sigmaMs };

/** Rows that are read at once fit as well. */
export function readAtOnce(seen: ReadoutSeen): boolean {
  const { size, sigma } = told(seen);
  return Math.abs(size) < 3 * sigma;
}

function sizeInWords({ share, sigmaShare, ms, sigmaMs }: ReadoutSeen): string {
  if (ms !== null && sigmaMs !== null) return `${Math.abs(ms).toFixed(1)} ± ${Math.max(0.1, sigmaMs).toFixed(1)} ms`;
  return `${(100 * Math.abs(share)).toFixed(0)} ± ${Math.max(1, 100 * sigmaShare).toFixed(0)} % of a frame (nobody gave the frame rate)`;
}

/** How rows are read, in words. */
export function readoutWords(seen: ReadoutSeen): string {
  const { usedMs, turned } = seen;
  const fits = readAtOnce(seen)
    ? 'rows that are read at once fit'
    : told(seen).size > 0
      ? `a readout of ${sizeInWords(seen)} fits`
      : `a readout of ${sizeInWords(seen)} from the last row to the first fits (the camera hung upside down, or its picture was turned)`;
  const made = turned ? '; with it the camera only turned, and its move was made of the rows' : '';
  return usedMs > 0 ? `${fits}, and ${usedMs.toFixed(1)} ms was taken out${made}` : `the rows of the picture were read one after the other and were taken as read at once: ${fits}${made}`;
}

/** A solve whose rows were read otherwise: what it says leans, and it says so. */
export function toldRead(solved: SolveResult, seen: ReadoutSeen): SolveResult {
  const reason = `${readoutWords(seen)}; path and points lean by it`;
  return {
    ...solved,
    readoutSeen: seen,
    // what rows make of a move looks like these, too
    bending: null,
    zoomed: null,
    squeezed: null,
    status: 'partial',
    reason: solved.reason ? `${solved.reason}; ${reason}` : reason,
    warnings: [SOLVE.READOUT_SEEN(reason), ...solved.warnings.filter((w) => !['LENS_BENDS', 'LENS_ZOOMS', 'LENS_SQUEEZES'].includes(w.code))],
  };
}
