import { draws, simulateShot, uniform } from '@mesure/synthetic';
import { solveTracks, type SolveResult, type SolveSetup } from '.';

/** A slow dolly past a set; each track lives a small part of it, and hardly moves against its neighbours. */
const taken = (frames: number, tracks: number, lifeFrames: number, focal: SolveSetup['focal'], seed: number): SolveResult => {
  const u = uniform(3 + seed);
  const points = Array.from({ length: tracks }, (_, i) => ({
    id: `m${i}`,
    at: (i % 3 === 0 ? [-3 + 6 * u(), 0, -5 + 4 * u()] : i % 3 === 1 ? [-3 + 6 * u(), 2.4 * u(), -5.2] : [-2 + 4 * u(), 1.5 * u(), -4 + 2 * u()]) as [number, number, number],
  }));
  const shot = simulateShot({
    ...{ widthPx: 4096, heightPx: 2160, focalMm: 18, sensorWidthMm: 24, sensorHeightMm: 12.66, frames, noisePx: 0.5, points, lifeFrames, seed },
    path: (t) => [-0.9 + 1.8 * t, 1.4 + 0.2 * t, 3 - 0.3 * t],
    aim: (t) => [0.2 * t, 0.8, -3.5],
  });
  return solveTracks(shot.tracks, {
    image: { width: 4096, height: 2160 },
    sensor: { widthMm: 24, heightMm: 12.66 },
    focal,
    distortion: { mode: 'held', model: 'radial', k: [0, 0, 0] },
  });
};

describe('a shot whose tracks live a twelfth of it', () => {
  // seven in ten frames of some of these had no camera, "too few tracks connect them", with forty tracks in each
  test.each([
    [150, 420, 12],
    [250, 700, 20],
  ])('%i frames, %i tracks of %i: with the focal length held each frame has its camera', (frames, tracks, life) => {
    for (let seed = 0; seed < draws(8, 1); seed += 1) {
      const solved = taken(frames, tracks, life, { mode: 'held', mm: 18 }, seed);
      expect([seed, solved.status, solved.frames.length]).toEqual([seed, 'solved', frames]);
      expect(solved.noisePx!).toBeGreaterThan(0.47);
      expect(solved.noisePx!).toBeLessThan(0.53);
    }
  });
  test('free, the focal length is as near as its sigma says', () => {
    const n = draws(40, 3);
    const z = Array.from({ length: n }, (_, i) => {
      const solved = taken(100, 420, 8, { mode: 'free', mm: [18, 15, 21][i % 3] }, 10 + i);
      expect([i, solved.status, solved.frames.length]).toEqual([i, 'solved', 100]);
      return (solved.focalMm! - 18) / solved.sigmaFocalMm!;
    });
    const z2 = z.reduce((sum, v) => sum + v * v, 0) / n;
    console.info(`short tracks: z² of the focal length ${z2.toFixed(2)} over ${n} shots`);
    expect(z2).toBeLessThan(n > 30 ? 1.5 : 3);
    expect(z2).toBeGreaterThan(n > 30 ? 0.5 : 0.01);
  });
});

test('two hundred frames of tracks that live sixteen go to the floor of their valley, from a start by a third too long', () => {
  const solved = taken(200, 560, 16, { mode: 'free', mm: 24 }, 1);
  const near = taken(200, 560, 16, { mode: 'free', mm: 18 }, 1);
  for (const s of [solved, near]) expect(s.warnings.filter((w) => w.code === 'STOPPED_EARLY')).toEqual([]);
  expect(Math.abs(solved.focalMm! - near.focalMm!)).toBeLessThan(0.1 * near.sigmaFocalMm!);
});
