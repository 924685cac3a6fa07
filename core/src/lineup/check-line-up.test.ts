import { draws, normals, uniform } from '@mesure/synthetic';
import type { Vec3 } from '../math';
import type { SolveSetup } from '../solve';
import { checkLineUp } from './check-line-up';
import type { LineUpMark, LineUpPoint } from './line-up-result';

const [W, H, FOCAL] = [3840, 2160, 25];
const CAMERA: Vec3 = [0.2, 1.52, 1.1];
const [TILT, ROLL] = [-0.11, 0.03];
const u = uniform(31);
const POINTS: LineUpPoint[] = Array.from({ length: 10 }, (_, i) => ({ id: `P${i}`, position: [-1.6 + 3.2 * u(), i % 2 === 0 ? 0 : 2 * u(), -2 - 3 * u()] as Vec3, sigmaM: 0 }));

/** This file's own camera: looks along −Z tilted by TILT, then rolled clockwise as seen from behind. */
function place([x, y, z]: Vec3, focalMm: number): { xPx: number; yPx: number } {
  const [dx, dy, dz] = [x - CAMERA[0], y - CAMERA[1], z - CAMERA[2]];
  const forward = -Math.cos(TILT) * dz + Math.sin(TILT) * dy;
  const up = Math.cos(TILT) * dy + Math.sin(TILT) * dz;
  // the camera's right leans down by the roll
  const [right, rise] = [Math.cos(ROLL) * dx - Math.sin(ROLL) * up, Math.sin(ROLL) * dx + Math.cos(ROLL) * up];
  const f = (focalMm / 23.04) * W;
  return { xPx: W / 2 + (f * right) / forward, yPx: H / 2 - (f * rise) / forward };
}
const marked = (noisePx: number, seed: number, focalMm = FOCAL): LineUpMark[] => {
  const n = normals(seed);
  return POINTS.map((p) => {
    const q = place(p.position, focalMm);
    return { id: p.id, xPx: q.xPx + noisePx * n(), yPx: q.yPx + noisePx * n() };
  });
};
const setupWith = (anchors: SolveSetup['anchors'], mm = FOCAL): SolveSetup => ({
  image: { width: W, height: H },
  sensor: { widthMm: 23.04, heightMm: 12.96 },
  focal: { mode: 'free', mm },
  distortion: { mode: 'none' },
  anchors,
});
const to = (id: string) => Math.hypot(...POINTS.find((p) => p.id === id)!.position.map((v, k) => v - CAMERA[k]));

test('exact marks give the tilt and roll that the camera had, with their signs', () => {
  const { lineUp } = checkLineUp({ marks: marked(0, 1), points: POINTS, setup: setupWith(undefined) });
  expect(lineUp.angles!.tiltRad).toBeCloseTo(TILT, 6);
  expect(lineUp.angles!.rollRad).toBeCloseTo(ROLL, 6);
});

test('a right record agrees in everything that was read, and each wrong reading is contradicted alone', () => {
  const right = {
    cameraHeights: [{ frame: 7, m: 1.52, sigmaM: 0.005 }],
    distances: [{ frame: 7, to: 'P3', m: to('P3'), sigmaM: 0.02 }],
    cameraAngles: [
      { frame: 7, of: 'tilt', rad: TILT },
      { frame: 7, of: 'roll', rad: ROLL },
    ],
  } as const;
  const verdicts = (anchors: SolveSetup['anchors'], mm = FOCAL) => {
    const { report } = checkLineUp({ marks: marked(0.6, 3), points: POINTS, setup: setupWith(anchors, mm) });
    return Object.fromEntries(report!.items.map((i) => [i.quantity, i.verdict]));
  };
  const all = { focalLength: 'agrees', cameraHeight: 'agrees', distance: 'agrees', tilt: 'agrees', roll: 'agrees' };
  expect(verdicts(right)).toEqual(all);
  expect(verdicts({ ...right, cameraHeights: [{ frame: 7, m: 1.25, sigmaM: 0.005 }] })).toEqual({ ...all, cameraHeight: 'contradicts' });
  expect(verdicts({ ...right, distances: [{ frame: 7, to: 'P3', m: to('P3') + 0.4, sigmaM: 0.02 }] })).toEqual({ ...all, distance: 'contradicts' });
  expect(verdicts({ ...right, cameraAngles: [{ frame: 7, of: 'tilt', rad: -TILT }, right.cameraAngles[1]] })).toEqual({ ...all, tilt: 'contradicts' });
  expect(verdicts(right, 35)).toEqual({ ...all, focalLength: 'contradicts' });
});

test('a height that was read at the end of the take is judged by a picture of the end', () => {
  const { report } = checkLineUp({ marks: marked(0.5, 4), points: POINTS, setup: setupWith({ cameraHeights: [{ frame: 'last', m: 1.52, sigmaM: 0.005 }] }) });
  expect(report!.items.find((i) => i.quantity === 'cameraHeight')).toMatchObject({ about: 'last frame', verdict: 'agrees' });
});

test('a reducer that nobody wrote down is named from one picture', () => {
  const { report } = checkLineUp({ marks: marked(0.4, 5, 25 * 0.71), points: POINTS, setup: setupWith(undefined) });
  expect(report!.items[0].causes[0]).toMatchObject({ cause: expect.stringMatching(/reducer|adapter/) as string, correction: { field: 'adapterFactor' } });
});

test('a held focal length is not judged by itself, and a picture that cannot be lined up judges nothing', () => {
  const held = { ...setupWith({ cameraHeights: [{ frame: 1, m: 1.52 }] }), focal: { mode: 'held' as const, mm: FOCAL } };
  const { report } = checkLineUp({ marks: marked(0.4, 6), points: POINTS, setup: held });
  expect(report!.items.find((i) => i.quantity === 'focalLength')!.verdict).toBe('not observable');
  expect(report!.items.find((i) => i.quantity === 'cameraHeight')!.verdict).toBe('agrees');
  expect(checkLineUp({ marks: marked(0, 1).slice(0, 3), points: POINTS, setup: held }).report).toBeNull();
});

test('errors of tilt, roll and height are what their sigmas say, over many pictures', () => {
  const z2 = { tilt: 0, roll: 0, height: 0 };
  const runs = draws(60, 24);
  for (let i = 0; i < runs; i += 1) {
    const { lineUp } = checkLineUp({ marks: marked(0.7, 100 + i), points: POINTS, setup: setupWith(undefined) });
    const a = lineUp.angles!;
    z2.tilt += ((a.tiltRad - TILT) / a.sigmaTiltRad) ** 2 / runs;
    z2.roll += ((a.rollRad - ROLL) / a.sigmaRollRad) ** 2 / runs;
    z2.height += ((lineUp.position![1] - CAMERA[1]) / lineUp.sigmaPositionM![1]) ** 2 / runs;
  }
  for (const z of Object.values(z2)) {
    expect(z).toBeGreaterThan(0.5);
    expect(z).toBeLessThan(1.5);
  }
});

test('what it says is said of a picture', () => {
  expect(checkLineUp({ marks: marked(0.4, 8), points: POINTS, setup: setupWith(undefined) }).report!.sentence).toBe('The record agrees with the picture.');
});
