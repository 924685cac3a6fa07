import { undistorter } from '../lens';
import { CoreError } from '../errors';
import type { TrackPoint } from '../track/track-point';
import type { LensMap } from './setup';

/**
 * Tracks as flat arrays, sorted by frame. Tracks are numbered by their first frame, so that points that live together lie together:
 * it keeps the envelope of the normal equations narrow.
 */
export interface Observations {
  trackIds: string[];
  frames: number[];
  count: number;
  track: Int32Array;
  frame: Int32Array;
  xPx: Float64Array;
  yPx: Float64Array;
  weight: Float64Array;
  /** focal length of each frame over the one that is common; ones but for a zoom */
  profile: Float64Array;
  /** place on an ideal sensor in mm from the centre, y down, of a lens of the common focal length: slope times that */
  xMm: Float64Array;
  yMm: Float64Array;
  byFrame: Int32Array[];
  byTrack: Int32Array[];
  /** observations whose place in the picture the lens model cannot undistort */
  outsideLens: number;
}

/** Another distortion of the same lens: each place of the picture stands for another one of an ideal sensor. A place that has no inverse stays. */
export function relens(obs: Observations, lens: LensMap): void {
  const undistort = undistorter(lens.distortion);
  const out = new Float64Array(2);
  const n = lens.normaliserMm;
  for (let o = 0; o < obs.count; o += 1) {
    if (!undistort((obs.xPx[o] - lens.cx) / (n * lens.pxPerMmX), (obs.yPx[o] - lens.cy) / (n * lens.pxPerMmY), out)) continue;
    const by = n / obs.profile[obs.frame[o]];
    obs.xMm[o] = out[0] * by;
    obs.yMm[o] = out[1] * by;
  }
}

/** Another profile of the focal length: the slopes that the places of each frame stand for change with it. */
export function reprofile(obs: Observations, profile: Float64Array): void {
  for (let o = 0; o < obs.count; o += 1) {
    const by = obs.profile[obs.frame[o]] / profile[obs.frame[o]];
    obs.xMm[o] *= by;
    obs.yMm[o] *= by;
  }
  obs.profile.set(profile);
}

/** @throws CoreError NON_FINITE_INPUT | INVALID_OPTION (the same track twice in a frame) */
export function buildObservations(points: readonly TrackPoint[], lens: LensMap): Observations {
  const undistort = undistorter(lens.distortion);
  const out = new Float64Array(2);
  const kept: { p: TrackPoint; xMm: number; yMm: number }[] = [];
  let outsideLens = 0;
  points.forEach((p, i) => {
    if (![p.x, p.y, p.frame, p.weight ?? 1].every(Number.isFinite)) throw new CoreError('NON_FINITE_INPUT', `Track ${p.track}, frame ${p.frame}: x, y and weight must be numbers`, `tracks[${i}]`);
    if ((p.weight ?? 1) <= 0) return;
    const n = lens.normaliserMm;
    if (!undistort((p.x - lens.cx) / (n * lens.pxPerMmX), (p.y - lens.cy) / (n * lens.pxPerMmY), out)) {
      outsideLens += 1;
      return;
    }
    kept.push({ p, xMm: out[0] * n, yMm: out[1] * n });
  });
  const firstFrame = new Map<string, number>();
  for (const { p } of kept) firstFrame.set(p.track, Math.min(firstFrame.get(p.track) ?? Infinity, p.frame));
  const trackIds = [...firstFrame.keys()].sort((a, b) => firstFrame.get(a)! - firstFrame.get(b)! || (a < b ? -1 : 1));
  const trackIndex = new Map(trackIds.map((id, i) => [id, i]));
  const frames = [...new Set(kept.map(({ p }) => p.frame))].sort((a, b) => a - b);
  const frameIndex = new Map(frames.map((f, i) => [f, i]));
  kept.sort((a, b) => a.p.frame - b.p.frame || trackIndex.get(a.p.track)! - trackIndex.get(b.p.track)!);
  const n = kept.length;
  const obs: Observations = {
    trackIds,
    frames,
    count: n,
    track: new Int32Array(n),
    frame: new Int32Array(n),
    xPx: new Float64Array(n),
    yPx: new Float64Array(n),
    weight: new Float64Array(n),
    profile: new Float64Array(frames.length).fill(1),
    xMm: new Float64Array(n),
    yMm: new Float64Array(n),
    byFrame: [],
    byTrack: [],
    outsideLens,
  };
  const byFrame: number[][] = frames.map(() => []);
  const byTrack: number[][] = trackIds.map(() => []);
  kept.forEach(({ p, xMm, yMm }, i) => {
    const t = trackIndex.get(p.track)!;
    const f = frameIndex.get(p.frame)!;
    if (i > 0 && obs.track[i - 1] === t && obs.frame[i - 1] === f) throw new CoreError('INVALID_OPTION', `Track ${p.track} has two places in frame ${p.frame}`, 'tracks');
    obs.track[i] = t;
    obs.frame[i] = f;
    obs.xPx[i] = p.x;
    obs.yPx[i] = p.y;
    obs.weight[i] = p.weight ?? 1;
    obs.xMm[i] = xMm;
    obs.yMm[i] = yMm;
    byFrame[f].push(i);
    byTrack[t].push(i);
  });
  obs.byFrame = byFrame.map((l) => Int32Array.from(l));
  obs.byTrack = byTrack.map((l) => Int32Array.from(l));
  return obs;
}
