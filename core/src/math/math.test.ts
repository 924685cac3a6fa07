import { uniform } from '@mesure/synthetic';
import { expSO3, homography, matToQuat, quatToMat, rotationAngle, seededNormal, umeyama, type Vec3 } from '.';

describe('geometry', () => {
  test('rotation vector, matrix and quaternion are one rotation', () => {
    const u = uniform(8);
    for (let n = 0; n < 100; n += 1) {
      const w: Vec3 = [(u() - 0.5) * 6, (u() - 0.5) * 6, (u() - 0.5) * 6];
      const m = expSO3(w);
      expect(rotationAngle(m, quatToMat(matToQuat(m)))).toBeLessThan(1e-7);
    }
    expect(rotationAngle(expSO3([0, 0, 0]), expSO3([0, 0, Math.PI - 1e-9]))).toBeCloseTo(Math.PI, 6);
    expect(expSO3([1e-12, 0, 0])[5]).toBeCloseTo(-1e-12, 20);
  });

  test('homography carries four corners of a square to a known trapezium', () => {
    const to = [
      [0, 0],
      [4, 0],
      [3, 2],
      [1, 2],
    ] as const;
    const from = [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
    ] as const;
    const h = homography(from.map((f, i) => ({ from: f, to: to[i] })));
    from.forEach(([x, y], i) => {
      const w = h[6] * x + h[7] * y + h[8];
      expect((h[0] * x + h[1] * y + h[2]) / w).toBeCloseTo(to[i][0], 9);
      expect((h[3] * x + h[4] * y + h[5]) / w).toBeCloseTo(to[i][1], 9);
    });
    expect(() => homography([])).toThrow(expect.objectContaining({ code: 'TOO_FEW_OBSERVATIONS' }));
  });

  test('points on one line give no homography', () => {
    const line = [0, 1, 2, 3, 4, 5].map((i) => ({ from: [i, 2 * i + 1] as const, to: [3 * i, i - 2] as const }));
    expect(() => homography(line)).toThrow(/on one line/);
    expect(() => homography([...line, { from: [0, 5], to: [9, 9] }])).toThrow(/on one line/);
  });

  test('similarity: quarter turn about Y, twice as large, moved', () => {
    const points: Vec3[] = [
      [0, 0, 0],
      [1, 0, 0],
      [0, 2, 0],
      [0, 0, 3],
    ];
    const moved: Vec3[] = points.map(([x, y, z]) => [2 * z + 5, 2 * y - 1, -2 * x + 7]);
    const s = umeyama(points, moved);
    expect(s.scale).toBeCloseTo(2, 12);
    s.translation.forEach((v, i) => expect(v).toBeCloseTo([5, -1, 7][i], 12));
  });

  test('seeded normal numbers have mean 0 and variance 1', () => {
    const g = seededNormal(1);
    let sum = 0,
      squares = 0;
    for (let i = 0; i < 20_000; i += 1) {
      const v = g();
      sum += v;
      squares += v * v;
    }
    expect(Math.abs(sum / 20_000)).toBeLessThan(4 / Math.sqrt(20_000));
    expect(Math.abs(squares / 20_000 - 1)).toBeLessThan(4 * Math.sqrt(2 / 20_000));
  });
});
