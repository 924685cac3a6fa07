import { uniform } from '@mesure/synthetic';
import { inverse, Matrix, solve } from 'ml-matrix';
import { cholesky, dampedStep, descend, EnvelopeMatrix, fallsByGain, factorDense, forwardDense, invertSelected, leastSquares, pseudoInverse, solveCholesky } from '.';

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

  test('rows that name their columns add up to what whole rows do, in whatever batches and order they come', () => {
    const u = uniform(23);
    const SIZE = 21;
    // eleven, ten and nine of them: whole panels of four with the residual, and parts of one
    const sets = [11, 10, 9].map((m, k) => Int32Array.from({ length: m }, (_, i) => (i < 5 ? i : i + k + 3)));
    const rows = Array.from({ length: 700 }, (_, i) => {
      const columns = sets[Math.floor(i / 90) % 3];
      const jacobian = new Float64Array(SIZE);
      for (const c of columns) jacobian[c] = u() - 0.5;
      return { columns, jacobian, b: u() };
    });
    const fit = (named: boolean) =>
      leastSquares(new Float64Array(SIZE), {
        rows(x, row) {
          for (const { columns, jacobian, b } of rows) {
            // what a row does not name may hold anything
            const given = named ? jacobian.map((v, i) => (columns.includes(i) ? v : Number.NaN)) : jacobian;
            row(
              jacobian.reduce((sum, v, i) => sum + v * x[i], -b),
              given,
              named ? columns : undefined,
            );
          }
        },
      });
    const [named, whole] = [fit(true), fit(false)];
    expect(named.rank).toBe(whole.rank);
    expect(named.finalCost).toBeCloseTo(whole.finalCost, 10);
    named.x.forEach((v, i) => expect(v).toBeCloseTo(whole.x[i], 9));
    named.covariance.forEach((v, i) => (Number.isFinite(whole.covariance[i]) ? expect(v).toBeCloseTo(whole.covariance[i], 9) : expect(v).toBe(whole.covariance[i])));
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
});

describe('the damped loop', () => {
  // a bent valley: half of (10 (y − x²))² + (1 − x)² (Rosenbrock 1960)
  const valley = (far = Infinity) => {
    let seen = 0;
    const cost = ([x, y]: readonly number[]) => (Math.abs(x) > far ? Number.NaN : 50 * (y - x * x) ** 2 + 0.5 * (1 - x) ** 2);
    const problem = {
      linearise: (at: readonly number[]) => ((seen += 1), cost(at)),
      costAt: cost,
      step([x, y]: readonly number[], damping: number) {
        const [r1, r2] = [10 * (y - x * x), 1 - x];
        const a = Float64Array.from([400 * x * x + 1, 0, -200 * x, 100]);
        const g = Float64Array.from([-20 * x * r1 - r2, 10 * r1]);
        const d = dampedStep(a, g, 2, damping);
        return d && { to: [x + d[0], y + d[1]], promised: -0.5 * (d[0] * g[0] + d[1] * g[1]) };
      },
    };
    return { problem, seen: () => seen };
  };
  const options = {
    maxIterations: 100,
    damping: { first: 1e-3, most: 1e10, falls: (t: { damping: number }, gain: number) => fallsByGain(t.damping, gain, 1e-12, 1 / 3), rises: (d: number, nth: number) => d * 2 ** nth },
    ends: (t: { taken: boolean; fall: number; cost: number }) => (t.taken && t.fall <= 1e-14 * t.cost ? ('cost' as const) : null),
  };

  test('goes down a bent valley to its floor, and says why it stopped', () => {
    const { problem } = valley();
    const r = descend(problem, [-1.2, 1], options);
    expect(r.x[0]).toBeCloseTo(1, 6);
    expect([r.initialCost > 12, r.finalCost < 1e-20]).toEqual([true, true]);
    expect(descend(problem, [-1.2, 1], { ...options, maxIterations: 3 })).toMatchObject({ reason: 'maxIterations', iterations: 3 });
  });

  test('a step to where there is no cost is refused, tried again shorter, and given up at last', () => {
    const walled = descend(valley(0.9).problem, [-0.8, 1], { ...options, takes: (before: number, after: number) => Number.isFinite(after) && after <= before });
    expect(Math.abs(walled.x[0])).toBeLessThanOrEqual(0.9);
    const stuck = descend({ linearise: () => 1, costAt: () => 2, step: () => ({ to: 0, promised: 1 }) }, 0, options);
    expect(stuck).toMatchObject({ reason: 'stationary', x: 0, finalCost: 1 });
    expect(descend({ linearise: () => 1, costAt: () => 0, step: () => null }, 0, options)).toMatchObject({ reason: 'stationary', finalCost: 1 });
  });

  test('what a step needs is not worked out once more where nobody asks for it', () => {
    const [asked, spared] = [valley(), valley()];
    descend(asked.problem, [-1.2, 1], options);
    descend(spared.problem, [-1.2, 1], { ...options, linearisedAtEnd: false });
    expect(spared.seen()).toBe(asked.seen() - 1);
  });
});

describe('small dense systems', () => {
  const n = 6;
  const u = uniform(4);
  const rows = Array.from({ length: 9 }, () => Array.from({ length: n }, () => u() - 0.5));
  const full = new Matrix(rows).transpose().mmul(new Matrix(rows));
  const lower = Float64Array.from(full.to1DArray());

  test('factor and right sides beside each other are those of a general library', () => {
    const l = lower.slice();
    expect(factorDense(l, n)).toBe(true);
    const b = Float64Array.from({ length: 2 * n }, () => u());
    const expected = solve(
      Matrix.zeros(n, n).apply(function (this: Matrix, i: number, j: number) {
        this.set(i, j, j <= i ? l[i * n + j] : 0);
      }),
      new Matrix(Array.from({ length: n }, (_, i) => [b[2 * i], b[2 * i + 1]])),
    );
    forwardDense(l, n, b, 2);
    for (let i = 0; i < n; i += 1) for (let c = 0; c < 2; c += 1) expect(b[2 * i + c]).toBeCloseTo(expected.get(i, c), 11);
    expect(factorDense(Float64Array.from([1, 0, 2, 1]), 2)).toBe(false);
  });

  test('a step without damping is that of a general library; one of which no row speaks stays', () => {
    const g = Float64Array.from({ length: n }, () => u());
    const expected = solve(full, Matrix.columnVector(Array.from(g))).to1DArray();
    dampedStep(lower, g, n, 0)!.forEach((v, i) => expect(v).toBeCloseTo(-expected[i], 9));
    expect([...dampedStep(Float64Array.from([4, 0, 0, 0]), Float64Array.from([2, 0]), 2, 0)!].map((v) => v + 0)).toEqual([-0.5, 0]);
  });

  test('the inverse over what is determined is the general one where all is, and leaves out what is not', () => {
    const r = pseudoInverse(lower, n);
    expect([r.rank, r.open]).toEqual([n, []]);
    const expected = inverse(full);
    for (let i = 0; i < n; i += 1) for (let j = 0; j < n; j += 1) expect(r.inverse[i * n + j]).toBeCloseTo(expected.get(i, j), 8);
    expect(pseudoInverse(Float64Array.from([1, 0, 1, 1]), 2)).toMatchObject({ rank: 1, open: [0, 1] });
  });
});
