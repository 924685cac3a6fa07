import { inOrder, placeBetween } from './between-frames';
import type { TrackPoint } from '../track/track-point';
import type { Observations } from './observations';
import { buildObservations } from './observations';
import type { SolveLens } from './setup';

/** Frames of the witness against those of the main camera: frame f of the main one ran together with `perFrame` · f + `addFrames` of the witness. */
export interface Shift {
  addFrames: number;
  /** frame rate of the witness over that of the main camera; default 1 */
  perFrame?: number;
}

/** Nearer to a frame than this its place is taken as it is. */
const WHOLE = 0.02;

/**
 * Where the witness's tracks were at the moments of the main camera's frames, between its own frames where it must be. What is mixed of several places
 * is quieter than one of them, and weighs as much more.
 * @param names what a track of the witness is called among those of both
 */
export function atMainFrames(tracks: readonly TrackPoint[], frames: readonly number[], shift: Shift, names: (track: string) => string): TrackPoint[] {
  const out: TrackPoint[] = [];
  for (const [track, mine] of inOrder(tracks)) {
    const name = names(track);
    const seen = new Map(mine.map((t) => [t.frame, t]));
    for (const frame of frames) {
      const moment = (shift.perFrame ?? 1) * frame + shift.addFrames;
      const near = Math.round(moment);
      const at = Math.abs(moment - near) <= WHOLE ? seen.get(near) : undefined;
      if (at) {
        out.push({ ...at, track: name, frame });
        continue;
      }
      const place = placeBetween(mine, moment);
      if (place) out.push({ track: name, frame, x: place.x, y: place.y, weight: place.weight / place.noise });
    }
  }
  return out;
}

/** Both cameras in one: the main camera's frames, then the witness's of the same moments, and for each of these the index of the main one. */
export function bothCameras(main: readonly TrackPoint[], witness: readonly TrackPoint[], lens: SolveLens, witnessLens: SolveLens): { obs: Observations; partner: Int32Array } {
  const a = buildObservations(main, lens.map);
  const frameOf = new Map(a.frames.map((f, i) => [f, i]));
  const b = buildObservations(
    witness.filter((t) => frameOf.has(t.frame)),
    witnessLens.map,
  );
  const trackIds = [...a.trackIds, ...b.trackIds.filter((id) => !a.trackIds.includes(id))];
  const trackOf = new Map(trackIds.map((id, i) => [id, i]));
  const ownTrack = b.trackIds.map((id) => trackOf.get(id)!);
  const [n, count] = [a.frames.length, a.count + b.count];
  const ratio = witnessLens.recordedMm / lens.recordedMm;
  const both = (of: (o: Observations) => Float64Array, by = 1): Float64Array => {
    const out = new Float64Array(count);
    out.set(of(a));
    for (let i = 0; i < b.count; i += 1) out[a.count + i] = of(b)[i] * by;
    return out;
  };
  const obs: Observations = {
    trackIds,
    frames: [...a.frames, ...b.frames],
    count,
    track: Int32Array.from([...a.track, ...b.track].map((t, i) => (i < a.count ? t : ownTrack[t]))),
    frame: Int32Array.from([...a.frame, ...b.frame].map((f, i) => (i < a.count ? f : n + f))),
    xPx: both((o) => o.xPx),
    yPx: both((o) => o.yPx),
    weight: both((o) => o.weight),
    profile: Float64Array.from({ length: n + b.frames.length }, (_, f) => (f < n ? 1 : ratio)),
    // slopes times the one common focal length
    xMm: both((o) => o.xMm, 1 / ratio),
    yMm: both((o) => o.yMm, 1 / ratio),
    byFrame: [...a.byFrame, ...b.byFrame.map((list) => list.map((o) => o + a.count))],
    byTrack: trackIds.map((id) => {
      const [inA, inB] = [a.trackIds.indexOf(id), b.trackIds.indexOf(id)];
      return Int32Array.from([...(inA < 0 ? [] : a.byTrack[inA]), ...(inB < 0 ? [] : Array.from(b.byTrack[inB], (o) => o + a.count))]);
    }),
    outsideLens: a.outsideLens + b.outsideLens,
  };
  return { obs, partner: Int32Array.from({ length: n + b.frames.length }, (_, f) => (f < n ? -1 : frameOf.get(b.frames[f - n])!)) };
}
