import { givenDoubts, otherWay, type KnownBend } from './given-lens';
import type { GivenLens } from './kinds';

const map: GivenLens = { what: 'map', way: 'undistorts', stretch: 1 };
const coefficients: GivenLens = { what: 'coefficients', formula: 'polynomial', over: 'half width', direction: 'undistorted to distorted', k: [-0.1], p: [0, 0], center: [0, 0], focalMm: null };
const bends = (cornerDisplacementPct: number, status: 'usable' | 'unusable' = 'usable') => ({ cornerDisplacementPct, status });
const known = (focalMm: number, pct: number, given?: GivenLens): KnownBend => ({ plate: { focalMm, given }, report: bends(pct) });
const even = { up: true, unit: 'share', holes: 0, middleStretch: 1 } as const;
const codes = (given: GivenLens, pct: number, others: KnownBend[]) => givenDoubts({ focalMm: 32, given }, bends(pct), even, others).map((d) => d.code);

test('a plate of the same lens tells which way it goes, and how much it bends', () => {
  expect(codes(map, -2.1, [known(32, -2.3)])).toEqual([]);
  expect(codes(map, 2.1, [known(32, -2.3)])).toEqual(['other-way']);
  expect(codes(map, -5.1, [known(32, -2.3)])).toEqual(['other-amount']);
  expect(codes(coefficients, -0.9, [known(32, -2.3)])).toEqual(['other-amount']);
});

test('nothing is told by a plate of another focal length, by another map, by one that cannot be used, or where hardly anything bends', () => {
  expect(codes(map, 2.1, [known(50, -2.3)])).toEqual([]);
  expect(codes(map, 2.1, [known(32, -2.3, map)])).toEqual([]);
  expect(codes(map, 2.1, [{ plate: { focalMm: 32 }, report: bends(-2.3, 'unusable') }])).toEqual([]);
  expect(codes(map, 0.1, [known(32, -2.3)])).toEqual([]);
  expect(givenDoubts({ focalMm: 32 }, bends(2), even, [known(32, -2)])).toEqual([]);
});

test('the nearest of several plates is asked', () => {
  expect(codes(map, -2, [known(27, 2), known(33, -2.2)])).toEqual([]);
});

test('each doubt has the reading that explains it', () => {
  const [doubt] = givenDoubts({ focalMm: 32, given: map }, bends(2.1), even, [known(32, -2.3)]);
  expect(doubt.reading).toEqual({ what: 'map', way: 'distorts', stretch: 1 });
  expect(otherWay(otherWay(coefficients))).toEqual(coefficients);
  const [stretched] = givenDoubts({ focalMm: 32, given: { ...map, stretch: 2 } }, bends(-2), { ...even, middleStretch: 0.75 }, []);
  expect(stretched).toMatchObject({ code: 'stretched', reading: { what: 'map', way: 'undistorts', stretch: 1.5 } });
  const [angle] = givenDoubts({ focalMm: 32, given: { ...coefficients, formula: 'angle', over: 'focal length' } }, bends(2), undefined, [known(32, -2)]);
  expect(angle).toMatchObject({ code: 'other-way', reading: null });
});
