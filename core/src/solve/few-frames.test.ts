import { simulateShot, uniform } from '@mesure/synthetic';
import { fewFramesOf } from './few-frames';
import type { FirstAnswer } from './first-answer';
import { buildObservations } from './observations';
import { Reconstruction } from './reconstruction';
import type { SolveSetup } from './setup';
import { readSolveSetup } from './setup';
import { solveTracks } from './solve-tracks';

const SETUP: SolveSetup = { image: { width: 2048, height: 1080 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode: 'free', mm: 24 }, distortion: { mode: 'none' } };

/** A slow dolly past a wall and a floor by a lens of 18 mm; some 60 tracks are there at a time. */
function dolly(frames: number, lifeFrames: number, seed: number) {
  const u = uniform(seed);
  const points = Array.from({ length: Math.round((60 * frames) / lifeFrames) }, (_, i) => ({
    id: `m${i}`,
    at: (i % 3 === 0 ? [-3 + 6 * u(), 0, -5 + 4 * u()] : i % 3 === 1 ? [-3 + 6 * u(), 2.4 * u(), -5.2] : [-2 + 4 * u(), 1.5 * u(), -4 + 2 * u()]) as [number, number, number],
  }));
  const sensor = { widthPx: 2048, heightPx: 1080, sensorWidthMm: 24, sensorHeightMm: 12.66 };
  return simulateShot({ ...sensor, focalMm: 18, frames, noisePx: 0.4, points, lifeFrames, path: (t) => [-0.9 + 1.8 * t, 1.4 + 0.2 * t, 3 - 0.3 * t], aim: (t) => [0.2 * t, 0.8, -3.5] });
}

/** As if every frame and track had been placed. */
function placedAll(frames: number, lifeFrames: number): Reconstruction {
  const lens = readSolveSetup(SETUP);
  const r = new Reconstruction(buildObservations(dolly(frames, lifeFrames, 1).tracks, lens.map), lens.map, 18, { held: false });
  r.poses.fill({ rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1], translation: [0, 0, 0] });
  r.points.fill([0, 0, 5]);
  return r;
}

test('few frames are for long shots of short tracks: a fourteenth of a track’s life apart, first and last among them', () => {
  const r = placedAll(600, 45);
  const few = [...fewFramesOf(r)!];
  expect([few[0], few.at(-1)]).toEqual([0, r.obs.frames.length - 1]);
  expect(new Set(few.slice(1, -1).map((f, i) => f - few[i]))).toEqual(new Set([3]));
  expect(fewFramesOf(placedAll(200, 45))).toBeNull();
  // so few frames of a track would say nothing of it
  expect(fewFramesOf(placedAll(600, 20))).toBeNull();
  // its ends see each other
  expect(fewFramesOf(placedAll(320, 160))).toBeNull();
  r.turnOnly = true;
  expect(fewFramesOf(r)).toBeNull();
});

test('from a third beside it a long shot of short tracks ends at its focal length, and says one on the way', () => {
  const said: FirstAnswer[] = [];
  const r = solveTracks(dolly(340, 45, 800).tracks, SETUP, { onProgress: (p) => void (p.coarse && said.push(p.coarse)) });
  expect(r.warnings.filter(({ words }) => /still moved|stopped after/.test(words))).toEqual([]);
  expect(Math.abs(r.focalMm! - 18)).toBeLessThan(3 * r.sigmaFocalMm!);
  expect(r.sigmaFocalMm!).toBeLessThan(1.5);
  expect(said.length).toBeGreaterThan(0);
  const { focalMm, sigmaFocalMm } = said.at(-1)!;
  // on so few frames it is known no better than to a tenth, and no sigma is claimed
  expect(sigmaFocalMm).toBeNull();
  expect(Math.abs(focalMm - r.focalMm!)).toBeLessThan(r.sigmaFocalMm!);
});
