import { anamorphicLens, divisionLens, fisheyeLens } from '@mesure/synthetic';
import { frameEffect, redistortMap, roundTripErrorPx, undistortMap, wholeOverscan, type Distortion, type FrameLens } from '.';

const A = [-0.05, 0.02, 0, 0, 0.004] as const;
const B = [0.01, -0.08, 0, 0.01, 0] as const;
const CASES: [string, Distortion, (x: number, y: number) => [number, number]][] = [
  [
    'radial',
    { model: 'radial', k: [-0.12, 0.02, 0], p: [0.001, -0.002] },
    (x, y) => {
      const r2 = x * x + y * y;
      const m = 1 - 0.12 * r2 + 0.02 * r2 ** 2;
      return [x * m + 2 * 0.001 * x * y - 0.002 * (r2 + 2 * x * x), y * m + 0.001 * (r2 + 2 * y * y) - 2 * 0.002 * x * y];
    },
  ],
  ['division', { model: 'division', lambda: -0.25 }, divisionLens(-0.25)],
  ['fisheye', { model: 'fisheye', k: [-0.02, 0.003, 0, 0] }, fisheyeLens([-0.02, 0.003])],
  ['anamorphic', { model: 'anamorphic', a: A, b: B, rotation: 0.03 }, anamorphicLens(A, B, 0.03)],
];

describe.each(CASES)('ST maps of a %s lens', (_name, distortion, truth) => {
  const lens: FrameLens = { widthPx: 640, heightPx: 360, fxPx: 520, fyPx: 540, center: [322, 178.5], distortion };
  const { overscan } = frameEffect(lens);
  const o = wholeOverscan(overscan);
  const undistort = undistortMap(lens, overscan);
  const redistort = redistortMap(lens, overscan);

  test('the undistorting map reads the recorded picture where the lens put the ray', () => {
    expect([undistort.widthPx, undistort.heightPx]).toEqual([640 + o.left + o.right, 360 + o.top + o.bottom]);
    for (const [px, py] of [
      [0, 0],
      [100, 50],
      [undistort.widthPx - 1, undistort.heightPx - 1],
      [333, 170],
    ]) {
      const [x, y] = truth((px + 0.5 - o.left - 322) / 520, (py + 0.5 - o.top - 178.5) / 540);
      const i = 2 * (py * undistort.widthPx + px);
      expect(undistort.data[i] * 640).toBeCloseTo(322 + 520 * x, 3);
      expect((1 - undistort.data[i + 1]) * 360).toBeCloseTo(178.5 + 540 * y, 3);
    }
  });

  test('the other one leads back, over the whole frame', () => {
    let worst = 0;
    for (let py = 0; py < 360; py += 7) {
      for (let px = 0; px < 640; px += 11) {
        const i = 2 * (py * 640 + px);
        const ux = redistort.data[i] * undistort.widthPx - o.left,
          uy = (1 - redistort.data[i + 1]) * undistort.heightPx - o.top;
        const [x, y] = truth((ux - 322) / 520, (uy - 178.5) / 540);
        worst = Math.max(worst, Math.hypot(322 + 520 * x - px - 0.5, 178.5 + 540 * y - py - 0.5));
      }
    }
    expect(worst).toBeLessThan(0.002); // what 32 bits hold of a picture's width
    expect(roundTripErrorPx(undistort, redistort)).toBeLessThan(0.01);
  });
});

test('where a lens has no undistorted place the map says so', () => {
  const lens: FrameLens = { widthPx: 200, heightPx: 200, fxPx: 80, fyPx: 80, center: [100, 100], distortion: { model: 'division', lambda: -0.6 } };
  // rd = 1/√0.6 = 1.29 = 103 px: the corners lie beyond
  const map = redistortMap(lens, { left: 0, right: 0, top: 0, bottom: 0 });
  expect(map.data[0]).toBeNaN();
  expect(map.data[2 * (100 * 200 + 100)]).toBeCloseTo(0.5, 1);
});

test('an undistorted lens maps each pixel to itself', () => {
  const lens: FrameLens = { widthPx: 30, heightPx: 20, fxPx: 40, fyPx: 40, center: [15, 10], distortion: { model: 'radial', k: [0, 0, 0], p: [0, 0] } };
  const map = undistortMap(lens, { left: 0, right: 0, top: 0, bottom: 0 });
  expect(map.data[0]).toBeCloseTo(0.5 / 30, 6);
  expect(map.data[1]).toBeCloseTo(1 - 0.5 / 20, 6);
});
