import { draws, simulateShot, some, uniform, type ShotScene } from '@mesure/synthetic';
import { CancelledError } from '../errors';
import { reconcile } from '../reconcile';
import { solveTracks, type SolveProgress, type SolveResult, type SolveSetup } from '.';

const [W, H] = [2048, 1080];
const SENSOR = { widthMm: 24, heightMm: 12.66 };
function around(count: number, seed: number) {
  const u = uniform(seed);
  return Array.from({ length: count }, (_, i) => {
    const [turn, far, up] = [(u() - 0.5) * 2.6, 2 + 6 * u(), 0.2 + 2.4 * u()];
    return { id: `m${i}`, at: [far * Math.sin(turn), up, -far * Math.cos(turn)] as const };
  });
}
const setup = (change: Partial<SolveSetup> = {}): SolveSetup => ({
  ...{ image: { width: W, height: H }, sensor: SENSOR, focal: { mode: 'held', mm: 24 }, fps: 24, distortion: { mode: 'none' }, motion: 'pan' },
  ...change,
});
/** Forty degrees to the right; solved as a turn. */
const taken = (change: Partial<ShotScene>, as: SolveSetup = setup(), seed = 5, onProgress?: (p: SolveProgress) => void): SolveResult => {
  const scene: ShotScene = {
    ...{ widthPx: W, heightPx: H, focalMm: 24, sensorWidthMm: SENSOR.widthMm, sensorHeightMm: SENSOR.heightMm, frames: 40, noisePx: 0.4, seed, points: around(90, 3 + seed) },
    path: () => [0, 1.4, 0],
    aim: (t) => [5 * Math.sin(-0.35 + 0.7 * t), 1.3 + 0.4 * t + 0.3 * Math.sin(14 * t), -5 * Math.cos(-0.35 + 0.7 * t)],
    ...change,
  };
  return solveTracks(simulateShot(scene).tracks, as, { onProgress });
};
const dolly: Partial<ShotScene> = { path: (t) => [-0.5 + t, 1.4, 0] };
const free = setup({ focal: { mode: 'free', mm: 24 } });

test.each(
  some<[string, Partial<ShotScene>, SolveSetup]>(
    [
      ['a dolly of a metre', dolly, setup()],
      ['a dolly of ten centimetres', { path: (t) => [-0.05 + 0.1 * t, 1.4, 0] }, setup()],
      ['a push, its focal length free', { path: (t) => [0, 1.4, -0.5 * t] }, free],
    ],
    3,
  ),
)('%s that somebody took for a turn is told, and nothing is judged by it', (_what, change, as) => {
  const solved = taken(change, as);
  expect(solved).toMatchObject({ status: 'partial', motion: 'pan', movedAfterAll: { movePx: expect.closeTo(0.4, 1), lensDoubted: false } });
  expect(solved.movedAfterAll!.turnPx).toBeGreaterThan(0.6);
  expect(solved.reason).toMatch(/^the camera moved: as a turn the tracks are off by \d+\.\d px, as a move by 0\.4 px$/);
  expect(solved.warnings[0].code).toBe('CAMERA_MOVED');
  const judged = reconcile(as, solved);
  expect(judged).toMatchObject({ verdict: 'not observable', sentence: expect.stringMatching(/^The camera moved, and was taken as turning only: nothing can be judged/) });
  expect(judged.items[0].causes[0]).toMatchObject({ cause: 'camera-moved' });
});

test('tracks too short to hold a turn together that was none: it fails with the reason, and does not break', () => {
  const u = uniform(3);
  const points = Array.from({ length: 60 }, (_, i) => ({
    id: `m${i}`,
    at: (i % 3 === 0 ? [-3 + 6 * u(), 0, -5 + 4 * u()] : i % 3 === 1 ? [-3 + 6 * u(), 2.4 * u(), -5.2] : [-2 + 4 * u(), 1.5 * u(), -4 + 2 * u()]) as [number, number, number],
  }));
  const going: Partial<ShotScene> = { points, frames: 30, lifeFrames: 4, path: (t) => [-0.9 + 1.8 * t, 1.4 + 0.2 * t, 3 - 0.3 * t], aim: (t) => [0.2 * t, 0.8, -3.5], focalMm: 18 };
  const solved = taken(going, setup({ focal: { mode: 'held', mm: 18 } }), 1);
  expect(solved).toMatchObject({ status: 'failed', frames: [], reason: 'the camera moved: as a turn no frame of it holds, and as a move the tracks fit' });
});

test('whoever waits hears that it goes on, and can stop it there', () => {
  const heard: SolveProgress[] = [];
  taken(dolly, setup(), 5, (p) => heard.push(p));
  const others = heard.filter((p) => p.stage === 'other lenses');
  expect(others.length).toBeGreaterThan(0);
  expect(others.every((p) => p.done <= p.total)).toBe(true);
  expect(() =>
    taken(dolly, setup(), 5, (p) => {
      if (p.stage === 'other lenses') throw new CancelledError();
    }),
  ).toThrow(CancelledError);
});

// every one of these fits a move with depths to its liking
const seenAs = (s: SolveResult): string => (s.movedAfterAll ? 'moved' : s.readoutSeen ? 'rows' : s.squeezed ? 'squeezed' : s.zoomed ? 'zoomed' : s.bending ? 'bends' : s.status);
test.each(
  some<[string, Partial<ShotScene>, string]>(
    [
      ['turned', {}, 'solved'],
      ['turned, zooming by a tenth', { focalMm: (t) => 24 + 2.4 * t }, 'zoomed'],
      ['turned, by a lens that squeezes', { ratio: 1 / 1.33 }, 'squeezed'],
      ['turned, read row by row', { readoutShare: 0.384 }, 'rows'],
      ['turned, by a lens that bends', { k: [-0.1, 0, 0] }, 'bends'],
      ['turned, zooming by four hundredths', { focalMm: (t) => 24 + t }, 'zoomed'],
      ['turned, by a lens that bends the other way', { k: [0.1, 0, 0] }, 'bends'],
      ['turned, by a lens that squeezes twice', { ratio: 1 / 2 }, 'squeezed'],
    ],
    5,
  ),
)('a camera that %s is believed to have turned', (_what, change, seen) => {
  for (let i = 0; i < draws(6, 1); i += 1)
    for (const as of [setup(), free]) {
      const solved = taken(change, as, 5 + i);
      expect([i, as.focal.mode, seenAs(solved)]).toEqual([i, as.focal.mode, seen]);
      if (seen === 'zoomed') expect(solved.reason).toMatch(/the turns and what they say of the lens are bent by it/);
    }
});

test('a turn that nothing explains is solved in part, and judges nothing', () => {
  // its lens zooms by two fifths and bends as no lens does that was measured: what fits neither is off by many pixels
  const solved = taken({ focalMm: (t) => 24 + 9.6 * t, k: [-0.1, 0, 0] }, free);
  expect(solved).toMatchObject({ status: 'partial', reason: expect.stringMatching(/the tracks are off by \d\d px, slowly along each of them/) });
  expect(solved.warnings[0].code).toBe('TRACKS_MISFIT');
  expect(reconcile(free, solved)).toMatchObject({ verdict: 'not observable', sentence: expect.stringMatching(/off by \d\d px, and nothing explains it/) });
});

test('a slow pan by a lens that bends a little, which a move fits that leaves out a third of its tracks, is a turn', () => {
  const u = uniform(5);
  const [fPx, cx, cy] = [(32 / 24) * 4096, 2048, 1080];
  const features = Array.from({ length: 120 }, () => [2.4 * (u() - 0.5), 0.6 * (u() - 0.5)]);
  const tracks = Array.from({ length: 36 }, (_, i) => i + 1).flatMap((frame) => {
    const [turn, tilt] = [-0.3 + (0.6 * (frame - 1)) / 35, 0.05 * Math.sin(frame / 6)];
    return features.flatMap(([azimuth, rise], i) => {
      const [side, ahead] = [Math.sin(azimuth - turn), Math.cos(azimuth - turn)];
      const depth = ahead * Math.cos(tilt) + rise * Math.sin(tilt);
      const [right, up] = [side / depth, (rise * Math.cos(tilt) - ahead * Math.sin(tilt)) / depth];
      const bent = fPx * (1 - 0.02 * (right * right + up * up) * (fPx / cx) ** 2);
      const [x, y] = [cx + bent * right + 0.8 * (u() - 0.5), cy - bent * up + 0.8 * (u() - 0.5)];
      return depth > 0.3 && x > 0 && y > 0 && x < 4096 && y < 2160 ? [{ track: `p${i}`, frame, x, y }] : [];
    });
  });
  const as: SolveSetup = { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: (24 * 2160) / 4096 }, focal: { mode: 'free', mm: 32 }, distortion: { mode: 'none' }, fps: 24 };
  const solved = solveTracks(tracks, as);
  expect(solved).toMatchObject({ motion: 'pan', warnings: expect.arrayContaining([expect.objectContaining({ code: 'LENS_BENDS' })]) });
});
