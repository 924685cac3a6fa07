import { normals, uniform } from './noise';
import { simulateShot } from './simulate-shot';

/** Tracks that slide off their features: to each place an error is added that goes along its track, first-order autoregressive. */
export function driftingTracks<T extends { track: string; x: number; y: number }>(tracks: readonly T[], driftPx: number, correlation: number, seed: number): T[] {
  const g = normals(seed);
  const errors = new Map<string, [number, number]>();
  const fresh = driftPx * Math.sqrt(1 - correlation * correlation);
  return tracks.map((t) => {
    const before = errors.get(t.track);
    const now: [number, number] = before ? [correlation * before[0] + fresh * g(), correlation * before[1] + fresh * g()] : [driftPx * g(), driftPx * g()];
    errors.set(t.track, now);
    return { ...t, x: t.x + now[0], y: t.y + now[1] };
  });
}

const W = 2048;
const H = 1080;
const FOCAL_MM = 24;

/** A shot past a room of eighty points, with white and drifting errors; recorded 0.2 mm beside its focal length. */
export function driftTrial(seed: number, whitePx: number, driftPx: number, correlation: number, mode: 'free' | 'guided') {
  const u = uniform(seed);
  const points = Array.from({ length: 80 }, (_, i) => ({
    id: `m${i}`,
    at: (i % 3 === 0 ? [-3 + 6 * u(), 0, -5 + 4 * u()] : i % 3 === 1 ? [-3 + 6 * u(), 2.4 * u(), -5.2] : [-2 + 4 * u(), 1.5 * u(), -4 + 2 * u()]) as [number, number, number],
  }));
  const { tracks } = simulateShot({
    widthPx: W,
    heightPx: H,
    focalMm: FOCAL_MM,
    sensorWidthMm: 24,
    sensorHeightMm: 12.66,
    frames: 50,
    noisePx: whitePx,
    seed,
    points,
    path: (t) => [-1 + 2 * t, 1.4 + 0.2 * t, 1.5 - 0.3 * t],
    aim: (t) => [0.2 * t, 0.8, -3.5],
  });
  return {
    focalMm: FOCAL_MM,
    tracks: driftPx > 0 ? driftingTracks(tracks, driftPx, correlation, 900 + seed) : tracks,
    setup: { image: { width: W, height: H }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode, mm: 24.2, sigmaMm: 0.24 }, distortion: { mode: 'none' as const } },
  };
}
