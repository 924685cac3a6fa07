import type { SolveResult, SolveSetup } from '@mesure/core';

const PLACES = [[0.5, 0, -3], [-1, 1.2, -4], [1, 0.1, -3.6], [-0.6, 0, -3.2]]; // prettier-ignore
const unit = (q: number[]) => q.map((v) => v / Math.hypot(...q));
/** The least that a solve says, and what was recorded of its take. */
export const TEST_SOLVE = {
  status: 'solved',
  width: 1920,
  height: 1080,
  focalMm: 28,
  sigmaFocalMm: 0.1,
  focalMode: 'free',
  distortion: { model: 'radial', k: [-0.08, 0.01, 0], p: [0, 0], mode: 'held', normalisedWithMm: 28, follows: false },
  rmsPx: 0.3,
  frames: [0, 1, 2].map((i) => ({
    frame: 101 + i,
    position: [0.1 * i, 1.4, 1 - 0.2 * i],
    rotation: unit([0.1, 0.3 + 0.05 * i, -0.04, 0.9]),
    focalMm: 28,
    rmsPx: 0.3,
    tracks: 20,
    sigmaPositionM: 0.001,
  })),
  points: ['K1', 'K2', 'K3', 'K4'].map((track, i) => ({ track, position: PLACES[i], sigmaM: 0.002, rmsPx: 0.2, observations: 3 })),
  anchoring: { scale: 1, sigmaScalePct: 0.1, datum: [], residuals: [] },
  trimmed: [],
  warnings: [],
} as unknown as SolveResult;
export const TEST_SETUP: SolveSetup = {
  image: { width: 1920, height: 1080 },
  sensor: { widthMm: 24, heightMm: 13.5 },
  focal: { mode: 'free', mm: 28 },
  fps: 24,
  anchors: { level: ['K1', 'K2', 'K3'], lengths: [{ a: 'K1', b: 'K4', m: 1.7 }], cameraHeights: [{ frame: 101, m: 1.4 }] },
};
