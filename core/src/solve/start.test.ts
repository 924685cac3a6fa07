import { normals, roomShot, uniform } from '@mesure/synthetic';
import { expSO3, mulMatVec, rotationAngle, seededRandom, type Vec3 } from '../math';
import type { SlopePair } from './five-point';
import { buildObservations } from './observations';
import { rotationOnly } from './relative-pose';
import { readSolveSetup } from './setup';
import { chooseKeyframes, hasParallax } from './start';

/** Slopes of scattered points before and after a camera turns by `w` and moves by `t`, with noise in slopes. */
function pairs(w: Vec3, t: Vec3, noise = 1e-4, count = 80): SlopePair[] {
  const u = uniform(6);
  const g = normals(7);
  const r = expSO3(w);
  return Array.from({ length: count }, () => {
    const p: Vec3 = [-2 + 4 * u(), -1.2 + 2.4 * u(), 3 + 4 * u()];
    const q = mulMatVec(r, p);
    return { x1: p[0] / p[2] + noise * g(), y1: p[1] / p[2] + noise * g(), x2: (q[0] + t[0]) / (q[2] + t[2]) + noise * g(), y2: (q[1] + t[1]) / (q[2] + t[2]) + noise * g() };
  });
}

describe('the best pure rotation', () => {
  test.each<[string, Vec3]>([
    ['none', [0, 0, 0]],
    ['a pan', [0, 0.5, 0]],
    ['a tilt with some roll', [-0.3, 0.1, 0.25]],
    ['a wide swing', [0, 0.9, 0.1]],
  ])('%s is found to the noise', (_name, w) => {
    const found = rotationOnly(pairs(w, [0, 0, 0]));
    expect(rotationAngle(found.rotation, expSO3(w))).toBeLessThan(1e-4);
    expect(found.medianSlope).toBeLessThan(5e-4);
  });
  test('a fifth of wild pairs does not turn it', () => {
    const list = pairs([0.1, -0.3, 0], [0, 0, 0]);
    const u = uniform(2);
    for (let i = 0; i < list.length; i += 5) list[i] = { ...list[i], x2: u() - 0.5, y2: u() - 0.5 };
    expect(rotationAngle(rotationOnly(list).rotation, expSO3([0.1, -0.3, 0]))).toBeLessThan(3e-4);
  });
  test('what it leaves is the parallax: nothing for a turn, more the more the camera moved', () => {
    const left = [0, 0.1, 0.2].map((x) => rotationOnly(pairs([0, 0.1, 0], [x, 0, 0])).medianSlope);
    expect(left[0]).toBeLessThan(5e-4);
    expect(left[1]).toBeGreaterThan(10 * left[0]);
    expect(left[2]).toBeGreaterThan(1.5 * left[1]);
  });
});

describe('turn or motion', () => {
  test.each<[string, Vec3, Vec3, boolean]>([
    ['a pan', [0, 0.2, 0], [0, 0, 0], false],
    ['a slide', [0, 0, 0], [0.4, 0, 0], true],
    ['a slide with a pan', [0, 0.2, 0.05], [0.4, 0.1, 0], true],
    ['a push in', [0, 0, 0], [0, 0, -0.6], true],
  ])('%s', (_name, w, t, moves) => {
    expect(hasParallax(pairs(w, t), 2000, seededRandom(3))).toBe(moves);
  });
});

test('keyframes begin and end with the shot, go forward, and share tracks with the one before', () => {
  const { shot } = roomShot({ widthPx: 960, heightPx: 506, focalMm: 24, sensorWidthMm: 24, sensorHeightMm: 12.65, frames: 90, noisePx: 0.3 });
  const lens = readSolveSetup({ image: { width: 960, height: 506 }, sensor: { widthMm: 24, heightMm: 12.65 }, focal: { mm: 24 } });
  const obs = buildObservations(
    shot.tracks.map((p) => ({ ...p, weight: 1 })),
    lens.map,
  );
  const keys = chooseKeyframes(obs);
  expect([keys[0], keys[keys.length - 1]]).toEqual([0, 89]);
  expect(keys.length).toBeLessThan(90);
  for (let i = 1; i < keys.length; i += 1) {
    expect(keys[i]).toBeGreaterThan(keys[i - 1]);
    const before = new Set(Array.from(obs.byFrame[keys[i - 1]], (o) => obs.track[o]));
    expect(Array.from(obs.byFrame[keys[i]], (o) => obs.track[o]).filter((track) => before.has(track)).length).toBeGreaterThanOrEqual(8);
  }
});
