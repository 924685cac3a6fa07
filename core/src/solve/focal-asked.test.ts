import { draws, simulateShot, some, uniform, type ShotScene } from '@mesure/synthetic';
import { reconcile } from '../reconcile';
import { solveTracks, type SolveResult, type SolveSetup } from '.';

const [W, H] = [2048, 1080];
const SENSOR = { widthMm: 24, heightMm: 12.66 };
/** It was on the camera. */
const TRUE_MM = 17;
function around(count: number, seed: number) {
  const u = uniform(seed);
  return Array.from({ length: count }, (_, i) => {
    const [turn, far, up] = [(u() - 0.5) * 2.6, 2 + 6 * u(), 0.2 + 2.4 * u()];
    return { id: `m${i}`, at: [far * Math.sin(turn), up, -far * Math.cos(turn)] as const };
  });
}
const setup = (mm: number, mode: 'held' | 'guided' = 'held', change: Partial<SolveSetup> = {}): SolveSetup => ({
  ...{ image: { width: W, height: H }, sensor: SENSOR, fps: 24, distortion: { mode: 'none' } },
  focal: { mode, mm, ...(mode === 'guided' ? { sigmaMm: 0.01 * mm } : {}) },
  anchors: { cameraHeights: [{ frame: 1, m: 1.4, sigmaM: 0.005 }] },
  ...change,
});
const taken = (change: Partial<ShotScene>, as: SolveSetup, seed = 5): SolveResult => {
  const scene: ShotScene = {
    ...{ widthPx: W, heightPx: H, focalMm: TRUE_MM, sensorWidthMm: SENSOR.widthMm, sensorHeightMm: SENSOR.heightMm, frames: 40, noisePx: 0.4, seed, points: around(90, seed - 2) },
    path: () => [0, 1.4, 0],
    aim: (t) => [5 * Math.sin(-0.35 + 0.7 * t), 1.3 + 0.4 * t + 0.3 * Math.sin(14 * t), -5 * Math.cos(-0.35 + 0.7 * t)],
    ...change,
  };
  return solveTracks(simulateShot(scene).tracks, as);
};
const WAYS: Record<string, Partial<ShotScene>> = {
  dolly: { path: (t) => [-0.5 + t, 1.4, 0] },
  push: { path: (t) => [0, 1.4, -t] },
  arc: { path: (t) => [1.5 * Math.sin(1.5 * t - 0.7), 1.4, 2 - 0.5 * t], aim: () => [0, 1, -3] },
  turn: {},
};

// before: "the lens bends, and its distortion was not used", of a lens that does not
test.each(
  some<[string, string, SolveSetup]>(
    [
      ['dolly', 'the reducer forgotten, and held', setup(24)],
      ['turn', 'the reducer forgotten, and held', setup(24)],
      ['dolly', 'the reducer forgotten, and guided', setup(24, 'guided')],
      ['turn', 'the reducer forgotten, asked for as a turn', setup(24, 'held', { motion: 'pan' })],
      ['push', 'the reducer forgotten, and held', setup(24)],
      ['arc', 'a fourteenth too short, and held', setup(15.8)],
    ],
    4,
  ),
)('a %s by another focal length, %s: the tracks contradict it, and it alone is judged', (way, _what, as) => {
  for (let i = 0; i < draws(5, 1); i += 1) {
    const solved = taken(WAYS[way], as, 5 + i);
    expect(solved.status).toBe('partial');
    expect(Math.abs(solved.focalAsked!.mm - TRUE_MM)).toBeLessThan(4 * solved.focalAsked!.sigmaMm);
    expect(solved.reason).toMatch(/the tracks ask for a focal length of 1[67]\.\d\d ± 0\.\d\d mm, and (it was pulled to )?(24\.00|15\.80) mm/);
    expect(solved.bending ?? null).toBeNull();
    const judged = reconcile(as, solved);
    expect(judged.verdict).toBe('contradicts');
    expect(judged.items[0]).toMatchObject({ quantity: 'focalLength', verdict: 'contradicts', solved: solved.focalAsked!.mm });
    if (as.focal.mm === 24) expect(judged.items[0].causes[0]).toMatchObject({ cause: 'forgotten-reducer' });
    // what leans with it says nothing, right or wrong
    expect(judged.items.slice(1).every((item) => item.verdict === 'not observable' && item.causes.length === 0)).toBe(true);
    expect(judged.items.length).toBeGreaterThan(1);
  }
});

test.each(
  some<[string, Partial<ShotScene>]>(
    [
      ['a lens that bends', { k: [-0.05, 0, 0] }],
      ['late rows', { readoutShare: 0.3 }],
      ['nothing', {}],
      ['a lens that bends the other way', { k: [0.05, 0, 0] }],
      ['a zoom that nobody noted', { focalMm: (t) => TRUE_MM * (1 + 0.1 * t) }],
    ],
    3,
  ),
)('of a right one that was held, and %s, nobody says that it was wrong', (_what, change) => {
  for (let i = 0; i < draws(5, 1); i += 1)
    for (const way of ['dolly', 'turn'])
      for (const mode of ['held', 'guided'] as const) {
        const as = setup(TRUE_MM, mode);
        const solved = taken({ ...WAYS[way], ...change }, as, 5 + i);
        expect([way, mode, solved.focalAsked ?? null]).toEqual([way, mode, null]);
      }
});

test('a straight dolly tells no focal length, so that none is contradicted', () => {
  const straight: Partial<ShotScene> = { path: (t) => [-0.5 + t, 1.4, 0], aim: (t) => [-0.5 + t, 1.4, -4] };
  expect(taken(straight, setup(24)).focalAsked).toBeUndefined();
  // free, it ran to 119 mm ± 630 and drew the path by that
  const free = taken(straight, { ...setup(20), focal: { mode: 'free', mm: 20 } });
  expect(free).toMatchObject({ status: 'solved', focalMode: 'free' });
  expect(Math.abs(free.focalMm! - 20)).toBeLessThan(5);
  expect(free.sigmaFocalMm!).toBeGreaterThan(4);
  expect(free.warnings.map((w) => w.code)).toContain('FOCAL_NOT_TOLD');
  expect(reconcile(setup(20), free).items[0]).toMatchObject({ quantity: 'focalLength', verdict: 'not observable' });
});
