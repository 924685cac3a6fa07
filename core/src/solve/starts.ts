import { median } from '../math';
import { residualsAt } from './bundle-problem';
import type { TrackPoint } from '../track/track-point';
import { buildObservations, type Observations } from './observations';
import { Reconstruction, type FocalRule } from './reconstruction';
import type { SolveLens, SolveSetup } from './setup';
import { growOver, rankPairs, startFromPair } from './start';
import { recordedProfile } from './zoom';

/** Focal lengths tried when it is free, over the recorded one: a start within about ±25 % finds the basin. */
const FREE_STARTS = [1, 0.71, 1.41, 0.5, 2];
const PROBE_KEYFRAMES = 10;
/** Mean truncated square, px²: such a start explains nearly everything to within a pixel. */
export const GOOD_SCORE = 1.5;

/** Focal lengths and profiles from which a solve is tried. */
export function startsOf(obs: Observations, setup: SolveSetup, lens: SolveLens): { focalMm: number; profile: Float64Array }[] {
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
export function onOtherFrames(from: Observations, to: Observations): Float64Array {
  const noted = from.frames.map((frame, f) => ({ frame, mm: from.profile[f] }));
  return recordedProfile(to.frames, noted, 1);
}

/** Tracks kept in a frame while the start is looked for: enough for a pose, few enough for a dozen starts in a second. */
const START_TRACKS = 50;

/** Every n-th track where frames hold several times START_TRACKS; otherwise all. */
export function thinTracks(tracks: readonly TrackPoint[], obs: Observations, lens: SolveLens): Observations {
  const stride = Math.floor(median(obs.byFrame.map((l) => l.length)) / START_TRACKS);
  if (stride < 2) return obs;
  const kept = new Set(obs.trackIds.filter((_, i) => i % stride === 0));
  return buildObservations(
    tracks.filter((p) => kept.has(p.track)),
    lens.map,
  );
}

/** The best of a few pairs at one focal length, grown over some keyframes and scored over the same observations. */
export function tryStart(
  obs: Observations,
  lens: SolveLens,
  focalMm: number,
  rule: FocalRule,
  keys: readonly number[],
  pairCount: number,
  random: () => number,
): { r: Reconstruction; score: number } | null {
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
export function truncatedScore(r: Reconstruction, frames: readonly number[]): number {
  const cap2 = 25;
  const { problem, state } = r.toBundle(new Set(frames));
  const residual = residualsAt(problem, state);
  const all = frames.reduce((n, f) => n + r.obs.byFrame[f].length, 0);
  let sum = (all - problem.camera.length) * cap2;
  for (let i = 0; i < problem.camera.length; i += 1) sum += Math.min(cap2, residual[2 * i] ** 2 + residual[2 * i + 1] ** 2);
  return sum / Math.max(1, all);
}
