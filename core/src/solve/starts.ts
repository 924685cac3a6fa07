import type { AnchorFacts } from '../facts';
import { median } from '../math';
import { residualsAt } from './bundle-problem';
import type { TrackPoint } from '../track/track-point';
import { buildObservations, type Observations } from './observations';
import { Reconstruction, type FocalRule } from './reconstruction';
import type { SolveLens, SolveSetup } from './setup';
import { rotationOnly } from './relative-pose';
import { growOver, rankPairs, startsFromPair, type PairCandidate } from './start';
import { focalOfTurn } from './turn';
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

/** A turn by a focal length that may be explains a pair when it leaves no more than this in the middle, px. */
const TURN_LEAVES_PX = 4;
/** Of what is known of a focal length before: farther off by a lens without end a move along a wall is a turn. */
const MAY_BE_SIGMAS = 3;

/** @param rule what was known of the focal length, and not what a start is pulled to */
function turnExplains(probe: Reconstruction, pair: PairCandidate, { held, priorMm, priorSigmaMm }: FocalRule): boolean {
  const best = held ? probe.focalMm : focalOfTurn(probe, [pair]);
  const mayBe = !priorSigmaMm || Math.abs(best - priorMm!) <= MAY_BE_SIGMAS * priorSigmaMm;
  const trial = new Reconstruction(probe.obs, probe.lens, mayBe ? best : probe.focalMm, probe.focalRule);
  return rotationOnly(trial.sharedPairs(pair.a, pair.b).pairs).medianSlope * trial.slopeToPx < TURN_LEAVES_PX;
}

interface Trying {
  obs: Observations;
  lens: SolveLens;
  /** what is known of the focal length */
  rule: FocalRule;
  keys: readonly number[];
  random: () => number;
  /** of each track how much it counts; null: all the same */
  counts: ArrayLike<number> | null;
}

/**
 * The best of a few pairs at one focal length, grown over some keyframes and scored over the same observations.
 * @param pulled what holds the focal length while the start grows
 */
export function tryStart({ obs, lens, rule, keys, random, counts }: Trying, focalMm: number, pulled: FocalRule, pairCount: number): { r: Reconstruction; score: number } | null {
  const base = new Reconstruction(obs, lens.map, focalMm, pulled);
  const pairs = rankPairs(base, keys);
  const chosen = pairs.filter((p, i) => i < 12 && pairs.findIndex((q) => Math.abs(q.a - p.a) + Math.abs(q.b - p.b) <= 2) === i).slice(0, pairCount);
  let best: { r: Reconstruction; score: number } | null = null;
  for (const pair of chosen) {
    const middle = (pair.a + pair.b) / 2;
    const near = [...keys].sort((a, b) => Math.abs(a - middle) - Math.abs(b - middle)).slice(0, PROBE_KEYFRAMES);
    for (const r of startsFromPair(obs, lens.map, focalMm, pulled, pair, random, !turnExplains(base, pair, rule))) {
      growOver(r, near, random);
      r.adjustAll(2, 15, 1e-5);
      const score = truncatedScore(r, near, counts);
      if (!best || score < best.score) best = { r, score };
    }
    // a start that explains nearly everything to within a pixel needs no rival
    if (best && best.score < GOOD_SCORE) break;
  }
  return best;
}

/** Measured marks of a set that are tracked: so many of them say that the set is what stands still; together they count as this share of all tracks. */
const LEAST_MARKS = 2;
const MARKS_SHARE = 0.5;
/** Each counts as so many tracks at most: one that was named wrongly must not decide. */
const MOST_A_MARK = 10;

/** How much each track counts when starts are compared; null: all the same. A thing that goes along may hold as many tracks as the set, but no mark that was measured. */
export function countsOf(obs: Observations, anchors: AnchorFacts | undefined): Float64Array | null {
  const measured = new Set([...(anchors?.level ?? []), ...(anchors?.lengths ?? []).flatMap((l) => [l.a, l.b]), ...(anchors?.points ?? []).map((p) => p.track)]);
  const marks = obs.trackIds.filter((id) => measured.has(id)).length;
  if (marks < LEAST_MARKS) return null;
  const each = Math.min(MOST_A_MARK, Math.max(1, (MARKS_SHARE * obs.trackIds.length) / marks));
  return Float64Array.from(obs.trackIds, (id) => (measured.has(id) ? each : 1));
}

/**
 * Mean of min(residual, 5 px)² over all observations in the frames; one that is not explained counts in full.
 * @param counts of each track how much it counts; null: all the same
 */
export function truncatedScore(r: Reconstruction, frames: readonly number[], counts: ArrayLike<number> | null = null): number {
  const cap2 = 25;
  const { problem, state, obsOf } = r.toBundle(new Set(frames));
  const residual = residualsAt(problem, state);
  const countOf = (o: number): number => counts?.[r.obs.track[o]] ?? 1;
  let all = 0;
  for (const f of frames) for (const o of r.obs.byFrame[f]) all += countOf(o);
  let sum = all * cap2;
  for (let i = 0; i < problem.camera.length; i += 1) sum -= countOf(obsOf[i]) * Math.max(0, cap2 - residual[2 * i] ** 2 - residual[2 * i + 1] ** 2);
  return sum / Math.max(1, all);
}
