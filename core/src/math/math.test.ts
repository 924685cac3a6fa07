import { uniform } from '@mesure/synthetic';
import { inverse, Matrix, solve } from 'ml-matrix';
import { cholesky, EnvelopeMatrix, expSO3, homography, invertSelected, leastSquares, matToQuat, quatToMat, rotationAngle, seededNormal, solveCholesky, umeyama, type Vec3 } from '.';

/** A symmetric positive definite matrix with a ragged envelope, and the same as a plain one. */
function ragged(n: number, seed: number) {
  const u = uniform(seed);
  const first = Int32Array.from({ length: n }, (_, i) => (i % 7 === 0 ? Math.max(0, i - 9) : Math.max(0, i - 2 - (i % 3))));
  const envelope = new EnvelopeMatrix(first);
  const plain = Matrix.zeros(n, n);
  for (let i = 0; i < n; i += 1) {
    for (let j = first[i]; j <= i; j += 1) {
      const v = i === j ? 12 + u() : u() - 0.5;
      envelope.data[envelope.at(i, j)] = v;
      plain.set(i, j, v);
      plain.set(j, i, v);
    }
  }
  return { envelope, plain };
}

describe('envelope Cholesky', () => {
  test('solves as a general library does', () => {
    const { envelope, plain } = ragged(61, 3);
    const b = Float64Array.from({ length: 61 }, (_, i) => Math.sin(i));
    const expected = solve(plain, Matrix.columnVector(Array.from(b))).to1DArray();
    expect(cholesky(envelope)).toBe(true);
    solveCholesky(envelope, b);
    b.forEach((v, i) => expect(v).toBeCloseTo(expected[i], 11));
  });

  test('the selected inverse is the inverse inside the envelope', () => {
    const { envelope, plain } = ragged(40, 9);
    const expected = inverse(plain);
    cholesky(envelope);
    const selected = invertSelected(envelope);
    for (let i = 0; i < 40; i += 1) for (let j = envelope.firstOf[i >> 2]; j <= i; j += 1) expect(selected.get(i, j)).toBeCloseTo(expected.get(i, j), 11);
  });

  test('refuses what is not positive definite, also when only nearly so', () => {
    const make = (values: number[][]) => {
      const m = new EnvelopeMatrix(Int32Array.from([0, 0]));
      values.forEach((row, i) =>
        row.forEach((v, j) => {
          m.data[m.at(i, j)] = v;
        }),
      );
      return m;
    };
    expect(cholesky(make([[1], [2, 1]]))).toBe(false);
    expect(cholesky(make([[1], [1, 1 + 1e-16]]))).toBe(false);
    expect(cholesky(make([[1], [0.5, 1]]))).toBe(true);
  });
});

describe('least squares', () => {
  // NIST StRD Misra1a, certified values and standard deviations
  const x = [77.6, 114.9, 141.1, 190.8, 239.9, 289, 332.8, 378.4, 434.8, 477.3, 536.8, 593.1, 689.1, 760];
  const y = [10.07, 14.73, 17.94, 23.93, 29.61, 35.18, 40.02, 44.82, 50.76, 55.05, 61.01, 66.4, 75.47, 81.78];
  test.each([
    [500, 0.0001],
    [250, 0.0005],
  ])('NIST Misra1a from %p, %p', (b1, b2) => {
    const r = leastSquares([b1, b2], {
      maxIterations: 200,
      costTolerance: 1e-14,
      rows: (b, row) =>
        x.forEach((xi, i) => {
          const e = Math.exp(-b[1] * xi);
          row(b[0] * (1 - e) - y[i], Float64Array.from([1 - e, b[0] * xi * e]));
        }),
    });
    expect(r.status).toBe('solved');
    expect(r.x[0] / 238.94212918).toBeCloseTo(1, 6);
    expect(r.x[1] / 5.5015643181e-4).toBeCloseTo(1, 6);
    const variance = (2 * r.finalCost) / 12;
    expect(2 * r.finalCost).toBeCloseTo(0.12455138894, 8);
    expect(Math.sqrt(r.covariance[0] * variance)).toBeCloseTo(2.7070075241, 3);
  });

  test('leaves out directions that the rows do not determine', () => {
    const r = leastSquares([1, 1], { rows: (b, row) => row(b[0] + b[1] - 4, Float64Array.from([1, 1])) });
    expect(r.rank).toBe(1);
    expect(r.x[0] + r.x[1]).toBeCloseTo(4, 6);
    // of two of which only the sum is known neither is
    expect([r.covariance[0], r.covariance[3]]).toEqual([Infinity, Infinity]);
  });

  test('columns that depend on each other leave only theirs open', () => {
    const rows = [0, 1, 2, 3, 4, 5].map((i) => ({ a: Float64Array.from([1, 2 * i, -i, i * i]), y: 3 + 4 * i + 0.5 * i * i }));
    const r = leastSquares([0, 0, 0, 0], { rows: (b, row) => rows.forEach(({ a, y }) => row(a.reduce((s, v, k) => s + v * b[k], 0) - y, a)) });
    expect(r).toMatchObject({ status: 'solved', rank: 3 });
    expect([0, 1, 2, 3].map((k) => Number.isFinite(r.covariance[5 * k]))).toEqual([true, false, false, true]);
    expect(r.x[0]).toBeCloseTo(3, 5);
    expect(r.x[3]).toBeCloseTo(0.5, 5);
  });

  test('a residual that is no number where it begins has failed, and one on the way is not stepped to', () => {
    const failed = leastSquares([2], { rows: (b, row) => row(Number.NaN * b[0], Float64Array.from([1])) });
    expect(failed).toMatchObject({ status: 'failed', reason: 'notFinite', rank: 0 });
    expect(failed.x[0]).toBe(2);
    // a root of numbers below nought: the full step would go there
    const root = leastSquares([4], { rows: (b, row) => row(Math.sqrt(b[0]) - 0.1, Float64Array.from([0.5 / Math.sqrt(b[0])])) });
    expect(root.status).toBe('solved');
    expect(root.x[0]).toBeCloseTo(0.01, 6);
  });

  test('points on one line give no homography', () => {
    const line = [0, 1, 2, 3, 4, 5].map((i) => ({ from: [i, 2 * i + 1] as const, to: [3 * i, i - 2] as const }));
    expect(() => homography(line)).toThrow(/on one line/);
    expect(() => homography([...line, { from: [0, 5], to: [9, 9] }])).toThrow(/on one line/);
  });
});

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
