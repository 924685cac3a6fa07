import { draws, simulateShot, uniform } from '@mesure/synthetic';
import { expSO3, mulMatVec, rotationAngle, type Vec3 } from '../math';
import type { SlopePair } from './five-point';
import { flatPoses } from './flat-poses';
import type { SolveSetup } from './setup';
import { solveTracks } from './solve-tracks';

/** Slopes of places before two cameras, the second at R X + t. */
function pairsOf(places: readonly Vec3[], turn: Vec3, translation: Vec3): SlopePair[] {
  const rotation = expSO3(turn);
  return places.map((p) => {
    const q = mulMatVec(rotation, p).map((v, k) => v + translation[k]);
    return { x1: p[0] / p[2], y1: p[1] / p[2], x2: q[0] / q[2], y2: q[1] / q[2] };
  });
}
const unit = (v: Vec3): Vec3 => v.map((x) => x / Math.hypot(...v)) as unknown as Vec3;
const apart = (a: Vec3, b: Vec3): number => Math.hypot(...a.map((v, k) => v - b[k]));

test('of a slanted wall both poses before it come, and the true one is one of them, whatever was found', () => {
  const u = uniform(3);
  for (let i = 0; i < 20; i += 1) {
    const [slantX, slantY] = [u() - 0.5, u() - 0.5];
    const wall = Array.from({ length: 30 }, (): Vec3 => {
      const [x, y] = [-1.5 + 3 * u(), -1 + 2 * u()];
      return [x, y, 4 + slantX * x + slantY * y];
    });
    const [turn, moved] = [[0.2 * u() - 0.1, 0.2 * u() - 0.1, 0.1 * u()] as Vec3, [u() - 0.5, u() - 0.5, 0.6 * u() - 0.3] as Vec3];
    const found = { rotation: expSO3([0, 0.5, 0]), translation: [0, 0, 1] as Vec3 };
    const poses = flatPoses(pairsOf(wall, turn, moved), found, 1e-6);
    expect(poses.length).toBeGreaterThan(0);
    const off = poses.map((p) => rotationAngle(p.rotation, expSO3(turn)) + apart(p.translation, unit(moved)));
    expect(Math.min(...off)).toBeLessThan(1e-6);
    // what was found already is not told again
    const nearest = poses[off.indexOf(Math.min(...off))];
    expect(flatPoses(pairsOf(wall, turn, moved), nearest, 1e-6)).toHaveLength(poses.length - 1);
  }
});

test('what has depth is no wall, and what a turn leaves none either', () => {
  const u = uniform(5);
  const room = Array.from({ length: 30 }, (): Vec3 => [-1.5 + 3 * u(), -1 + 2 * u(), 3 + 3 * u()]);
  const found = { rotation: expSO3([0, 0.5, 0]), translation: [0, 0, 1] as Vec3 };
  expect(flatPoses(pairsOf(room, [0, 0.05, 0], [0.4, 0, 0.1]), found, 1e-3)).toEqual([]);
  expect(flatPoses(pairsOf(room, [0, 0.05, 0], [0, 0, 0]), found, 1e-3)).toEqual([]);
});

describe('a wall with crosses and nothing else', () => {
  const CROSSES = Array.from({ length: 40 }, (_, i) => ({ id: `c${i}`, at: [-2.6 + 0.65 * (i % 8), 0.3 + 0.5 * Math.floor(i / 8), -4] as Vec3 }));
  // held to the right length, one in eight ended edge-on, with a third of the crosses left out as moving
  test.each(['held', 'guided', 'free'] as const)('%s: every frame is placed by every cross', (mode) => {
    for (let seed = 0; seed < draws(16, 3); seed += 1) {
      const focalMm = 32 * (1 + 0.003 * (uniform(seed)() - 0.5));
      const { tracks } = simulateShot({
        ...{ widthPx: 2048, heightPx: 1080, sensorWidthMm: 24, sensorHeightMm: 12.66, focalMm, frames: 70, noisePx: 0.3, seed: 41 + seed, points: CROSSES },
        path: (t) => [-0.8 + 1.6 * t, 1.4 + 0.2 * t, 1.5],
        aim: () => [0, 1.3, -4],
      });
      const focal: SolveSetup['focal'] = { mode, mm: mode === 'held' ? focalMm : 32, ...(mode === 'guided' ? { sigmaMm: 0.32 } : {}) };
      const s = solveTracks(tracks, { image: { width: 2048, height: 1080 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal, distortion: { mode: 'none' } });
      expect([seed, s.status, s.frames.length, s.trimmed.length]).toEqual([seed, 'solved', 70, 0]);
      expect(s.noisePx!).toBeLessThan(0.33);
      if (mode !== 'held') expect(Math.abs(s.focalMm! - focalMm)).toBeLessThan(3.5 * s.sigmaFocalMm!);
    }
  });
});
