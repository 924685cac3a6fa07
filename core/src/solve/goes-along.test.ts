import { draws, simulateShot, uniform, type ShotScene } from '@mesure/synthetic';
import type { Vec3 } from '../math';
import { reconcile } from '../reconcile';
import type { SolveSetup } from './setup';
import { solveTracks } from './solve-tracks';

/*
 * Ordinary moves by which a world other than the set's fits as well: somebody walks along with the camera and holds half of the tracks; a push towards a
 * wall, or a camera that goes straight and never turns, which fit any focal length.
 */
const CAMERA = { widthPx: 2048, heightPx: 1080, sensorWidthMm: 24, sensorHeightMm: 12.66, noisePx: 0.3 };
type Move = Pick<ShotScene, 'points' | 'path' | 'aim' | 'frames' | 'focalMm'>;
const boxOf = (u: () => number, name: string, n: number, low: Vec3, high: Vec3) =>
  Array.from({ length: n }, (_, i) => ({ id: `${name}${i}`, at: [0, 1, 2].map((k) => low[k] + (high[k] - low[k]) * u()) as unknown as Vec3 }));
const F1: Vec3 = [-1.6, 0, -2.2];
const MARKS = [{ id: 'F1', at: F1 }, { id: 'F2', at: [1.7, 0, -2.6] as Vec3 }, { id: 'F3', at: [0.2, 0, -4.4] as Vec3 }, { id: 'F4', at: [-1.2, 0, -4.8] as Vec3 }, { id: 'W1', at: [-1.8, 1.6, -5.2] as Vec3 }, { id: 'W2', at: [1.9, 1.4, -5.2] as Vec3 }]; // prettier-ignore

function walkingAlong(seed: number): Move {
  const u = uniform(100 + seed);
  const set = boxOf(u, 'm', 50, [-3, 0, -5.4], [3, 2.5, -2]);
  const walker = boxOf(u, 'a', 25, [-1.5, 0.2, -3.4], [-1, 1.8, -3]).map((q) => ({ ...q, drift: [0.03, 0, 0] as Vec3 }));
  return { focalMm: 32 * (1 + 0.004 * (u() - 0.5)), frames: 60, points: [...MARKS, ...set, ...walker], path: (t) => [-0.7 + 1.4 * t, 1.4, 1.8], aim: () => [0, 0.8, -3.6] };
}
function pushToWall(seed: number): Move {
  const u = uniform(100 + seed);
  const points = Array.from({ length: 40 }, (_, i) => ({ id: `c${i}`, at: [-2.6 + 0.65 * (i % 8), 0.3 + 0.5 * Math.floor(i / 8), -4] as Vec3 }));
  return { focalMm: 32 * (1 + 0.004 * (u() - 0.5)), frames: 70, points, path: (t) => [0.1 * t, 1.4, 2.5 - 2 * t], aim: () => [0, 1.3, -4] };
}
function neverTurning(seed: number): Move {
  const u = uniform(100 + seed);
  const points = [...MARKS, ...boxOf(u, 'm', 60, [-3, 0, -5.4], [3, 2.5, -2]), ...boxOf(u, 'b', 80, [-5, 0, -12], [5, 3, -6])];
  const focalMm = 27 * (1 + 0.004 * (u() - 0.5));
  return { focalMm, frames: 100, points, path: (t) => [0.8 * Math.sin(6 * t), 1.5, 2 - 3.5 * t], aim: (t) => [0.8 * Math.sin(6 * t) + 0.5, 1.1, -4 - 3.5 * t] };
}

function alongWall(seed: number): Move {
  const { points, focalMm } = pushToWall(seed);
  return { focalMm, frames: 70, points, path: (t) => [-0.8 + 1.6 * t, 1.4, 1.5], aim: (t) => [-0.8 + 1.6 * t, 1.4, -4] };
}
function standing(seed: number): Move {
  const u = uniform(100 + seed);
  return { focalMm: 32 * (1 + 0.004 * (u() - 0.5)), frames: 60, points: boxOf(u, 'm', 60, [-3, 0, -5.4], [3, 2.5, -2]), path: () => [0, 1.5, 1.8], aim: () => [0, 1, -3.6] };
}

function solved(move: Move, seed: number, mode: 'held' | 'free', mm: number) {
  const { tracks } = simulateShot({ ...CAMERA, ...move, seed: 40 + seed });
  const seen = new Set(tracks.map((t) => t.track));
  const both = seen.has('F3') && seen.has('F4');
  const setup: SolveSetup = {
    image: { width: 2048, height: 1080 },
    sensor: { widthMm: 24, heightMm: 12.66 },
    fps: 24,
    focal: { mode, mm },
    distortion: { mode: 'none' },
    anchors: { level: [], lengths: both ? [{ a: 'F3', b: 'F4', m: Math.hypot(1.4, 0, 0.4), sigmaM: 0.002 }] : [], cameraHeights: [{ frame: 1, m: move.path(0)[1], sigmaM: 0.003 }] },
  };
  const s = solveTracks(tracks, setup);
  return { s, report: reconcile(setup, s), codes: s.warnings.map((w) => w.code) };
}

describe('somebody walks along, and holds half of the tracks', () => {
  test.each(['held', 'free'] as const)('%s: the set is what stands still', (mode) => {
    for (let seed = 1; seed <= draws(12, mode === 'held' ? 3 : 1); seed += 1) {
      const move = walkingAlong(seed);
      const { s, report, codes } = solved(move, seed, mode, 32);
      const placed = s.points.map((p) => p.track);
      expect([seed, s.status, s.frames.length, placed.filter((t) => t.startsWith('a'))]).toEqual([seed, 'solved', 60, []]);
      expect(['F3', 'F4', 'W1', 'W2'].filter((t) => placed.includes(t))).toHaveLength(4);
      // what goes along is told by its name, and not as too far away to have a depth
      expect(codes).toContain('TRACKS_MOVE');
      expect(s.trimmed.filter((t) => t.track.startsWith('a')).length).toBeGreaterThan(20);
      expect([seed, report.verdict]).not.toEqual([seed, 'contradicts']);
      if (mode === 'free') {
        expect(codes).toContain('FOCAL_BY_FEWER');
        expect(Math.abs(s.focalMm! - (move.focalMm as number))).toBeLessThan(3.5 * s.sigmaFocalMm!);
      }
    }
  });
});

test.each([
  ['a push towards a wall', pushToWall, 32, [3, 1]],
  ['a camera that goes along and never turns', neverTurning, 27, [2, 1]],
  // by a lens without end that is a turn
  ['a move along a wall, square-on', alongWall, 32, [1, 2]],
  ['a camera that stands still', standing, 32, [1, 2]],
] as const)('%s fits any focal length: the record is not contradicted by one of them, and all goes by it', (_, moveOf, mm, seeds) => {
  for (const seed of [...seeds, 4, 5, 6, 7].slice(0, draws(6, mm === 32 ? 2 : 1))) {
    const move = moveOf(seed);
    const { s, report, codes } = solved(move, seed, 'free', mm);
    expect([seed, report.verdict, codes.includes('FOCAL_NOT_TOLD')]).toEqual([seed, 'not observable', true]);
    expect([s.focalMode, s.motion === 'pan', codes.includes('CAMERA_TURNS')]).toEqual(['free', moveOf === standing, false]);
    expect(Math.abs(s.focalMm! - (move.focalMm as number))).toBeLessThan(3 * s.sigmaFocalMm!);
  }
});
