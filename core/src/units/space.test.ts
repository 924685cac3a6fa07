import { quatToMat, seededNormal, type Quat, type Vec3 } from '../math';
import { intoSpace, outOfSpace, OWN_SPACE, SPACE_UNITS, SPACE_UPS, spaceWords } from './space';

const apply = (q: Quat, v: Vec3): Vec3 => {
  const m = quatToMat(q);
  return [0, 1, 2].map((r) => m[3 * r] * v[0] + m[3 * r + 1] * v[1] + m[3 * r + 2] * v[2]) as unknown as Vec3;
};

test('a place over the floor is over the floor in every space', () => {
  // 2 m right, 1.4 m up, 3 m before whoever looks along −Z
  expect(intoSpace({ unit: 'cm', up: 'Z' }).place([2, 1.4, -3])).toEqual([200, 300, 140]);
  expect(intoSpace({ unit: 'mm', up: 'Y' }).place([2, 1.4, -3])).toEqual([2000, 1400, -3000]);
  expect(intoSpace(OWN_SPACE).place([2, 1.4, -3])).toEqual([2, 1.4, -3]);
  // what has no unit is turned and not scaled
  expect(intoSpace({ unit: 'cm', up: 'Z' }, false).place([2, 1.4, -3])).toEqual([2, 3, 1.4]);
  expect(Object.is(intoSpace({ unit: 'm', up: 'Z' }).place([0, 0, 0])[1], -0)).toBe(false);
});

test('a camera sees the same thing from its place in every space', () => {
  const random = seededNormal(3);
  for (let i = 0; i < 40; i += 1) {
    const q = [random(), random(), random(), random()];
    const n = Math.hypot(...q);
    const rotation = q.map((v) => v / n) as unknown as Quat;
    const at: Vec3 = [random(), random(), random()];
    // a metre before the lens, half of it to the right and a third up
    const seen: Vec3 = [0.5, 1 / 3, -1];
    const ahead = apply(rotation, seen).map((v, k) => v + at[k]) as unknown as Vec3;
    for (const unit of SPACE_UNITS)
      for (const up of SPACE_UPS) {
        const into = intoSpace({ unit, up });
        const turned = apply(into.rotation(rotation), seen);
        const there = into.place(ahead);
        const from = into.place(at);
        for (const k of [0, 1, 2]) expect(turned[k] * into.perMetre).toBeCloseTo(there[k] - from[k], 8);
        for (const k of [0, 1, 2]) expect(outOfSpace({ unit, up }).place(there)[k]).toBeCloseTo(ahead[k], 12);
      }
  }
});

test('a spread goes with its axis, and a covariance with its places', () => {
  const into = intoSpace({ unit: 'mm', up: 'Z' });
  expect(into.spread([0.001, 0.002, 0.009])).toEqual([1, 9, 2]);
  expect(into.spread([0.001, null, 0.009])).toEqual([1, 9, null]);
  expect(
    outOfSpace({ unit: 'mm', up: 'Z' })
      .spread([1, 9, 2])
      .map((v) => Number(v.toFixed(9))),
  ).toEqual([0.001, 0.002, 0.009]);
  // the covariance of 4,000 drawn places that were carried over one by one
  const random = seededNormal(9);
  const mix = [
    [1, 0.4, -0.2],
    [0, 2, 0.7],
    [0.5, -0.3, 3],
  ];
  const drawn = Array.from({ length: 4000 }, () => {
    const g = [random(), random(), random()];
    return mix.map((row) => row.reduce((sum, v, k) => sum + v * g[k], 0) / 100) as unknown as Vec3;
  });
  const of = (list: readonly Vec3[]) => [0, 1, 2].flatMap((a) => [0, 1, 2].filter((b) => b >= a).map((b) => list.reduce((sum, p) => sum + p[a] * p[b], 0) / list.length));
  const before = of(drawn) as [number, number, number, number, number, number];
  const after = of(drawn.map((p) => into.place(p)));
  into.covariance(before).forEach((v, i) => expect(v).toBeCloseTo(after[i], 6));
});

test('in words', () => expect(spaceWords({ unit: 'cm', up: 'Z' })).toBe('centimetres, Z up'));
