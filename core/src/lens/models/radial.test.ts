import { uniform } from '@mesure/synthetic';
import { frameEffect } from '../frame-effect';
import { distort, distortWith, coefficientsOf } from '../model';
import { foldRadius, undistortRadial, type RadialDistortion } from './radial';

const LENSES: RadialDistortion[] = [
  { model: 'radial', k: [0, 0, 0], p: [0, 0] },
  { model: 'radial', k: [-0.25, 0.03, 0], p: [0, 0] },
  { model: 'radial', k: [0.15, 0, 0], p: [0, 0] },
  { model: 'radial', k: [-0.1, 0.02, -0.004], p: [0.001, -0.002] },
];

describe('radial distortion', () => {
  test('is the published formula', () => {
    const out = new Float64Array(2);
    const x = 0.3,
      y = -0.4,
      r2 = 0.25;
    distort({ model: 'radial', k: [0.1, 0.2, 0.3], p: [0.01, 0.02] }, x, y, out);
    const m = 1 + 0.1 * r2 + 0.2 * r2 ** 2 + 0.3 * r2 ** 3;
    expect(out[0]).toBeCloseTo(x * m + 2 * 0.01 * x * y + 0.02 * (r2 + 2 * x * x), 14);
    expect(out[1]).toBeCloseTo(y * m + 0.01 * (r2 + 2 * y * y) + 2 * 0.02 * x * y, 14);
  });

  test.each(LENSES.map((l, i) => [i, l] as const))('lens %i: derivative agrees with differences, inverse comes back', (_i, lens) => {
    const random = uniform(5);
    const a = new Float64Array(2),
      b = new Float64Array(2),
      j = new Float64Array(4),
      back = new Float64Array(2);
    for (let n = 0; n < 200; n += 1) {
      const x = 1.6 * random() - 0.8,
        y = random() - 0.5,
        h = 1e-6;
      distortWith('radial', coefficientsOf(lens), x, y, new Float64Array(2), j, null);
      distort(lens, x + h, y, a);
      distort(lens, x - h, y, b);
      expect(j[0]).toBeCloseTo((a[0] - b[0]) / (2 * h), 7);
      expect(j[2]).toBeCloseTo((a[1] - b[1]) / (2 * h), 7);
      distort(lens, x, y + h, a);
      distort(lens, x, y - h, b);
      expect(j[1]).toBeCloseTo((a[0] - b[0]) / (2 * h), 7);
      expect(j[3]).toBeCloseTo((a[1] - b[1]) / (2 * h), 7);
      distort(lens, x, y, a);
      expect(undistortRadial(lens, a[0], a[1], back)).toBe(true);
      expect(Math.hypot(back[0] - x, back[1] - y)).toBeLessThan(1e-10);
    }
  });

  test('knows where it folds over and does not invert beyond', () => {
    // r(1 + k1 r²) with k1 = −0.25 turns back at r² = 1 / (3·0.25)
    const lens: RadialDistortion = { model: 'radial', k: [-0.25, 0, 0], p: [0, 0] };
    const fold = Math.sqrt(1 / 0.75);
    expect(foldRadius(lens)).toBeCloseTo(fold, 8);
    expect(undistortRadial(lens, fold * (1 - 0.25 * fold * fold) + 0.001, 0, new Float64Array(2))).toBe(false);
    expect(foldRadius({ model: 'radial', k: [0.1, 0, 0], p: [0, 0] })).toBe(Infinity);
  });

  test('frame effect of a barrel: the corner moves inwards, the undistorted picture sticks out', () => {
    const lens = { widthPx: 2000, heightPx: 1000, fxPx: 2000, fyPx: 2000, center: [1000, 500] as const, distortion: { model: 'radial' as const, k: [-0.1, 0, 0] as const, p: [0, 0] as const } };
    const e = frameEffect(lens);
    // corner at distorted radius √1.25/2: solve r(1 − 0.1 r²) = 0.5590170 by bisection
    let low = 0.5,
      high = 0.7;
    for (let i = 0; i < 60; i += 1) {
      const m = (low + high) / 2;
      if (m * (1 - 0.1 * m * m) < Math.sqrt(1.25) / 2) low = m;
      else high = m;
    }
    const halfDiagonal = Math.sqrt(1.25) / 2;
    expect(e.cornerDisplacementPct).toBeCloseTo((100 * (halfDiagonal - low)) / halfDiagonal, 6);
    expect(e.cornerDisplacementPct).toBeLessThan(0);
    expect(e.overscan.left).toBeCloseTo(e.overscan.right, 6);
    expect(e.overscan.width).toBeCloseTo(2000 + 2 * e.overscan.left, 6);
    expect(e.valid).toBe(true);
    expect(frameEffect({ ...lens, fxPx: 600, fyPx: 600, distortion: { model: 'radial', k: [-0.3, 0, 0], p: [0, 0] } }).valid).toBe(false);
  });
});
