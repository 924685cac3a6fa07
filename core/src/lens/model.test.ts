import { anamorphicLens, divisionLens, fisheyeLens, uniform } from '@mesure/synthetic';
import { COEFFICIENTS, coefficientsOf, DISTORTION_MODELS, distort, distortionFrom, distortWith, isDistorted, renormalise, undistorter, type Distortion } from '.';

const LENSES: Distortion[] = [
  { model: 'radial', k: [-0.22, 0.05, -0.01], p: [0.002, -0.001] },
  { model: 'radial', k: [0.15, 0, 0], p: [0, 0] },
  { model: 'division', lambda: -0.35 },
  { model: 'division', lambda: 0.08 },
  { model: 'fisheye', k: [-0.02, 0.004, 0, 0] },
  { model: 'fisheye', k: [0, 0, 0, 0] },
  { model: 'anamorphic', a: [-0.08, 0.03, 0.01, 0, 0.004], b: [0.02, -0.12, 0, 0.01, 0.02], rotation: 0.05 },
  { model: 'anamorphic', a: [0, 0, 0, 0, 0], b: [0, 0, 0, 0, 0], rotation: 0 },
];
const name = (d: Distortion): string => `${d.model} ${Array.from(coefficientsOf(d)).join(' ')}`;
const at = (d: Distortion, x: number, y: number): [number, number] => {
  const out = new Float64Array(2);
  distort(d, x, y, out);
  return [out[0], out[1]];
};
const PLACES: [number, number][] = (() => {
  const u = uniform(9);
  return [[0, 0], [1e-6, -1e-6], [0.5, 0], [0, -0.5], ...Array.from({ length: 40 }, (): [number, number] => [1.2 * (u() - 0.5), 0.9 * (u() - 0.5)])] as [number, number][];
})();

describe.each(LENSES.map((d) => [name(d), d] as const))('%s', (_name, d) => {
  test('derivatives by place and by coefficient agree with differences', () => {
    const p = coefficientsOf(d);
    const n = p.length;
    const [out, j, c] = [new Float64Array(2), new Float64Array(4), new Float64Array(2 * n)];
    const h = 1e-6;
    for (const [x, y] of PLACES) {
      distortWith(d.model, p, x, y, out, j, c);
      expect([out[0], out[1]]).toEqual(at(d, x, y).map((v) => expect.closeTo(v, 12)));
      const right = at(d, x + h, y),
        left = at(d, x - h, y),
        below = at(d, x, y + h),
        above = at(d, x, y - h);
      const differences = [(right[0] - left[0]) / (2 * h), (below[0] - above[0]) / (2 * h), (right[1] - left[1]) / (2 * h), (below[1] - above[1]) / (2 * h)];
      differences.forEach((v, i) => expect(j[i]).toBeCloseTo(v, 7));
      for (let k = 0; k < n; k += 1) {
        const moved = (step: number) =>
          at(
            distortionFrom(
              d.model,
              p.map((v, i) => (i === k ? v + step : v)),
            ),
            x,
            y,
          );
        const [plus, minus] = [moved(h), moved(-h)];
        expect(c[k]).toBeCloseTo((plus[0] - minus[0]) / (2 * h), 7);
        expect(c[n + k]).toBeCloseTo((plus[1] - minus[1]) / (2 * h), 7);
      }
    }
  });

  test('there and back is the same place', () => {
    const undistort = undistorter(d);
    const back = new Float64Array(2);
    for (const [x, y] of PLACES) {
      const [xd, yd] = at(d, x, y);
      expect(undistort(xd, yd, back)).toBe(true);
      expect(back[0]).toBeCloseTo(x, 9);
      expect(back[1]).toBeCloseTo(y, 9);
    }
  });
});

test('the models are those of independent formulas', () => {
  const anamorphic = LENSES[6] as Extract<Distortion, { model: 'anamorphic' }>;
  const pairs: [Distortion, (x: number, y: number) => [number, number]][] = [
    [{ model: 'division', lambda: -0.35 }, divisionLens(-0.35)],
    [{ model: 'division', lambda: 0.08 }, divisionLens(0.08)],
    [{ model: 'fisheye', k: [-0.02, 0.004, 0.001, -0.0005] }, fisheyeLens([-0.02, 0.004, 0.001, -0.0005])],
    [anamorphic, anamorphicLens(anamorphic.a, anamorphic.b, anamorphic.rotation)],
  ];
  for (const [d, truth] of pairs) for (const [x, y] of PLACES) truth(x, y).forEach((v, i) => expect(at(d, x, y)[i]).toBeCloseTo(v, 9));
});

describe('where a model ends', () => {
  const back = new Float64Array(2);
  test('division with λ > 0 turns back at 1/(2√λ), and nothing lands beyond 1/√λ', () => {
    const undistort = undistorter({ model: 'division', lambda: 0.25 });
    expect(at({ model: 'division', lambda: 0.25 }, 1.001, 0)[0]).toBeNaN();
    expect(at({ model: 'division', lambda: 0.25 }, 1, 0)[0]).toBeCloseTo(2, 6);
    expect(undistort(2.01, 0, back)).toBe(false);
  });
  test('division with λ < 0 never reaches 1/√−λ', () => {
    const undistort = undistorter({ model: 'division', lambda: -0.25 });
    expect(undistort(1.99, 0, back)).toBe(true);
    expect(undistort(2, 0, back)).toBe(false);
  });
  test('a fisheye sees less than half the space', () => {
    const undistort = undistorter({ model: 'fisheye', k: [0, 0, 0, 0] });
    expect(undistort(1.5, 0, back)).toBe(true);
    expect(back[0]).toBeCloseTo(Math.tan(1.5), 9);
    expect(undistort(1.58, 0, back)).toBe(false);
  });
  test('an anamorphic that folds has no inverse beyond the fold', () => {
    // xd = x − x³ grows up to x = 1/√3
    const undistort = undistorter({ model: 'anamorphic', a: [-1, 0, 0, 0, 0], b: [0, 0, 0, 0, 0], rotation: 0 });
    const most = (1 / Math.sqrt(3)) * (2 / 3);
    expect(undistort(0.98 * most, 0, back)).toBe(true);
    expect(undistort(1.02 * most, 0, back)).toBe(false);
  });
});

test('another normaliser leaves the map of the picture as it is', () => {
  const ratio = 1.4;
  for (const d of LENSES.filter((q) => q.model !== 'fisheye')) {
    const other = renormalise(d, ratio);
    // the same slope in px: x·f = (x/ratio)·(f·ratio)
    for (const [x, y] of PLACES) at(other, x / ratio, y / ratio).forEach((v, i) => expect(v * ratio).toBeCloseTo(at(d, x, y)[i], 10));
    expect(renormalise(d, 1)).toBe(d);
  }
  expect(() => renormalise({ model: 'fisheye', k: [0, 0, 0, 0] }, 1.1)).toThrow(expect.objectContaining({ code: 'INVALID_OPTION' }));
});

test('coefficients and their names belong together', () => {
  for (const model of DISTORTION_MODELS) {
    const c = COEFFICIENTS[model].map((_, i) => i + 1);
    expect(Array.from(coefficientsOf(distortionFrom(model, c)))).toEqual(c);
  }
  expect(LENSES.map(isDistorted)).toEqual([true, true, true, true, true, true, true, false]);
});
