import { minimise } from './minimise';

test('finds the bottom of Rosenbrock’s valley, which lies at (1, 1)', () => {
  const f = (x: Float64Array, g: Float64Array) => {
    const [a, b] = [1 - x[0], x[1] - x[0] * x[0]];
    g[0] = -2 * a - 400 * x[0] * b;
    g[1] = 200 * b;
    return a * a + 100 * b * b;
  };
  const x = minimise(f, Float64Array.from([-1.2, 1]), 300);
  expect(x[0]).toBeCloseTo(1, 2);
  expect(x[1]).toBeCloseTo(1, 2);
});
test('a bowl of a thousand unequal directions is reached, and the start stays as it was', () => {
  const n = 1000;
  const f = (x: Float64Array, g: Float64Array) => {
    let e = 0;
    for (let i = 0; i < n; i += 1) {
      const k = 1 + i / 20;
      e += k * (x[i] - i) ** 2;
      g[i] = 2 * k * (x[i] - i);
    }
    return e;
  };
  const start = new Float64Array(n);
  const x = minimise(f, start, 500);
  for (let i = 0; i < n; i += 50) expect(Math.abs(x[i] - i)).toBeLessThan(0.01 * Math.max(1, i));
  expect(start.every((v) => v === 0)).toBe(true);
});
test('where nothing can be gained it stays; no round is none', () => {
  const flat = () => 5;
  expect([...minimise(flat, Float64Array.from([3, 4]), 50)]).toEqual([3, 4]);
  const bowl = (x: Float64Array, g: Float64Array) => {
    g[0] = 2 * x[0];
    return x[0] * x[0];
  };
  expect([...minimise(bowl, Float64Array.from([7]), 0)]).toEqual([7]);
});
