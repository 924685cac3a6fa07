import type { Observations, TrackPoint } from './observations';
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
 * Where the witness's tracks were at the moments of the main camera's frames: between two of its frames by the cubic through four (Catmull & Rom 1974),
 * at the ends of a track by the straight line. What is mixed of several places is quieter than one of them, and weighs as much more.
 * @param names what a track of the witness is called among those of both
 */
export function atMainFrames(tracks: readonly TrackPoint[], frames: readonly number[], shift: Shift, names: (track: string) => string): TrackPoint[] {
  const byTrack = new Map<string, Map<number, TrackPoint>>();
  for (const t of tracks) {
    if (!byTrack.has(t.track)) byTrack.set(t.track, new Map());
    byTrack.get(t.track)!.set(t.frame, t);
  }
  const out: TrackPoint[] = [];
  for (const [track, seen] of byTrack) {
    const name = names(track);
    for (const frame of frames) {
      const moment = (shift.perFrame ?? 1) * frame + shift.addFrames;
      const near = Math.round(moment);
      const at = Math.abs(moment - near) <= WHOLE ? seen.get(near) : undefined;
      if (at) {
        out.push({ ...at, track: name, frame });
        continue;
      }
      const before = Math.floor(moment);
      const mixed = mix(
        [before - 1, before, before + 1, before + 2].map((f) => seen.get(f)),
        moment - before,
      );
      if (mixed) out.push({ ...mixed, track: name, frame });
    }
  }
  return out;
}

function mix([a, b, c, d]: readonly (TrackPoint | undefined)[], u: number): Omit<TrackPoint, 'track' | 'frame'> | null {
  if (!b || !c) return null;
  const four = a !== undefined && d !== undefined;
  const w = four ? [(-(u ** 3) + 2 * u * u - u) / 2, (3 * u ** 3 - 5 * u * u + 2) / 2, (-3 * u ** 3 + 4 * u * u + u) / 2, (u ** 3 - u * u) / 2] : [0, 1 - u, u, 0];
  const of = [a, b, c, d].map((p) => p ?? b);
  const sum = (value: (p: TrackPoint) => number): number => of.reduce((s, p, i) => s + w[i] * value(p), 0);
  const least = Math.min(...of.map((p) => p.weight ?? 1));
  return { x: sum((p) => p.x), y: sum((p) => p.y), weight: least / w.reduce((s, v) => s + v * v, 0) };
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
