import { CoreError } from '../errors';
import type { CameraFrame } from './simulated';

/** What a take's fields are, from all frames that a camera told of. */
export interface FeedSummary {
  frames: number;
  /** frames that came without lens data */
  lost: number;
  timecodeIn: string;
  timecodeOut: string;
  focalMm: number | null;
  focalEndMm: number | null;
  /** first and last frame of the zoom; null where the focal length stood */
  zoomFrom: number | null;
  zoomTo: number | null;
  /** thinned to where a straight line between the kept ones is within `CURVE_TOLERANCE` */
  focalByFrame: { frame: number; mm: number }[] | null;
  focusM: number | null;
  focusEndM: number | null;
  stop: number | null;
  iso: number | null;
  shutterDeg: number | null;
  /** settings that changed within the take */
  changed: ('stop' | 'iso' | 'shutter')[];
}

/** A focal length that moves by less is standing: an encoder's noise is a tenth of it. */
const ZOOM_SHARE = 0.004;
/** of the focal length, between kept frames of the curve */
const CURVE_TOLERANCE = 0.001;
/** a value at an end is the median of so many frames: one frame of an encoder is noisy */
const END_FRAMES = 5;

const median = (values: readonly number[]): number | null => (values.length === 0 ? null : [...values].sort((a, b) => a - b)[values.length >> 1]);

/**
 * The fields of a take from a camera's frames, in order of `frame`. Frames without lens data are left out, never filled in.
 * @throws CoreError TOO_FEW_OBSERVATIONS without any frame
 */
export function summariseFeed(frames: readonly CameraFrame[]): FeedSummary {
  if (frames.length === 0) throw new CoreError('TOO_FEW_OBSERVATIONS', 'The camera told of no frame');
  const told = (key: 'focalMm' | 'focusM' | 'stop' | 'iso' | 'shutterDeg') => frames.filter((f) => f[key] !== null).map((f) => ({ frame: f.frame, value: f[key]! }));
  const ends = (key: 'focalMm' | 'focusM') => {
    const values = told(key).map((t) => t.value);
    return [median(values.slice(0, END_FRAMES)), median(values.slice(-END_FRAMES))];
  };
  const [focalMm, focalEnd] = ends('focalMm');
  const [focusM, focusEnd] = ends('focusM');
  const focal = told('focalMm');
  const zooms = focalMm !== null && (Math.abs(focalEnd! / focalMm - 1) > ZOOM_SHARE || focal.some((f) => Math.abs(f.value / focalMm - 1) > 3 * ZOOM_SHARE));
  const still = (value: number, end: number) => Math.abs(value / end - 1) <= ZOOM_SHARE;
  const first = zooms ? focal.findIndex((f) => !still(f.value, focalMm)) : -1;
  const last = zooms ? focal.length - 1 - [...focal].reverse().findIndex((f) => !still(f.value, focalEnd!)) : -1;
  const common = (key: 'stop' | 'iso' | 'shutterDeg') => median(told(key).map((t) => t.value));
  const varies = (key: 'stop' | 'iso' | 'shutterDeg') => new Set(told(key).map((t) => t.value)).size > 1;
  return {
    frames: frames.length,
    lost: frames.filter((f) => f.focalMm === null).length,
    timecodeIn: frames[0].timecode,
    timecodeOut: frames[frames.length - 1].timecode,
    focalMm,
    focalEndMm: zooms ? focalEnd : null,
    zoomFrom: zooms ? focal[Math.max(0, first - 1)].frame : null,
    zoomTo: zooms ? focal[Math.min(focal.length - 1, last + 1)].frame : null,
    focalByFrame: zooms ? thin(focal.map((f) => ({ frame: f.frame, mm: f.value }))) : null,
    focusM,
    focusEndM: focusEnd,
    stop: common('stop'),
    iso: common('iso'),
    shutterDeg: common('shutterDeg'),
    changed: [...(varies('stop') ? (['stop'] as const) : []), ...(varies('iso') ? (['iso'] as const) : []), ...(varies('shutterDeg') ? (['shutter'] as const) : [])],
  };
}

/** Keeps the frames that a polyline needs. Source: Douglas and Peucker 1973, with the distance taken along mm. */
function thin(curve: readonly { frame: number; mm: number }[]): { frame: number; mm: number }[] {
  const keep = new Set([0, curve.length - 1]);
  const work: [number, number][] = [[0, curve.length - 1]];
  for (let span = work.pop(); span; span = work.pop()) {
    const [a, b] = span;
    let worst = -1;
    let far = 0;
    for (let i = a + 1; i < b; i += 1) {
      const share = (curve[i].frame - curve[a].frame) / (curve[b].frame - curve[a].frame);
      const off = Math.abs(curve[i].mm / (curve[a].mm + share * (curve[b].mm - curve[a].mm)) - 1);
      if (off > far) [worst, far] = [i, off];
    }
    if (far <= CURVE_TOLERANCE) continue;
    keep.add(worst);
    work.push([a, worst], [worst, b]);
  }
  return curve.filter((_, i) => keep.has(i));
}

export interface SlateDifference {
  what: 'focal length' | 'focus distance' | 'stop' | 'ISO' | 'shutter';
  slate: number;
  camera: number;
}
/** What slate and camera may differ by: a marked focal length by two in a hundred, a focus mark by five, settings not at all. */
const SLATE_TOLERANCE = { focal: 0.02, focus: 0.05, setting: 0.01 };

/** What the slate says against what the camera told, at the start of the take. What either does not say is not compared. */
export function compareWithSlate(slate: { focalMm: number | null; focusM: number | null; stop: number | null; iso: number | null; shutterDeg: number | null }, feed: FeedSummary): SlateDifference[] {
  const rows: [SlateDifference['what'], number | null, number | null, number][] = [
    ['focal length', slate.focalMm, feed.focalMm, SLATE_TOLERANCE.focal],
    ['focus distance', slate.focusM, feed.focusM, SLATE_TOLERANCE.focus],
    ['stop', slate.stop, feed.stop, SLATE_TOLERANCE.setting],
    ['ISO', slate.iso, feed.iso, SLATE_TOLERANCE.setting],
    ['shutter', slate.shutterDeg, feed.shutterDeg, SLATE_TOLERANCE.setting],
  ];
  return rows.flatMap(([what, a, b, tolerance]) => (a !== null && b !== null && Math.abs(b / a - 1) > tolerance ? [{ what, slate: a, camera: b }] : []));
}
