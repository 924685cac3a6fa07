import { seededNormal } from '../math';
import { averageReadings } from '.';

test('one reading has its tolerance, half of it as sigma', () => {
  expect(averageReadings([1.4], 0.01)).toEqual({ mean: 1.4, spread: null, sigmaMean: 0.005, outlier: null });
});

test('mean and spread by hand; agreement averages the reading’s own half of the error, not the instrument’s', () => {
  // 1.400, 1.402, 1.404: mean 1.402, spread 2 mm; sigma 5 mm, halves 3.5355 mm each: sqrt(12.5/3 + 12.5) mm
  const r = averageReadings([1.4, 1.402, 1.404], 0.01);
  expect(r.mean).toBeCloseTo(1.402, 12);
  expect(r.spread).toBeCloseTo(0.002, 12);
  expect(r.sigmaMean).toBeCloseTo(Math.sqrt(12.5 / 3 + 12.5) / 1000, 9);
  expect(
    averageReadings(
      Array.from({ length: 1000 }, () => 2),
      0.01,
    ).sigmaMean,
  ).toBeGreaterThan(0.0035);
});

test('readings that scatter more than the instrument promises are worth what they show', () => {
  expect(averageReadings([1.38, 1.41, 1.35, 1.44], 0.002).sigmaMean).toBeGreaterThan(0.019);
});

describe('the one that does not fit', () => {
  test.each([
    [[1.4, 1.402, 1.462], 2],
    [[1.54, 1.403, 1.401, 1.4], 0],
    [[3.2, 3.201, 2.199, 3.2], 2],
  ])('%j: reading %d', (values, index) => {
    expect(averageReadings(values, 0.01).outlier?.index).toBe(index);
  });
  test('none is named of two, of readings that all scatter, of readings that agree', () => {
    expect(averageReadings([1.4, 1.5], 0.01).outlier).toBeNull();
    expect(averageReadings([1.3, 1.4, 1.5], 0.01).outlier).toBeNull();
    expect(averageReadings([1.4, 1.403, 1.406], 0.01).outlier).toBeNull();
  });
  test('good readings are accused less than once in a hundred, one that is 6 sigma off is found', () => {
    const normal = seededNormal(7);
    let accused = 0;
    let found = 0;
    for (let trial = 0; trial < 1000; trial += 1) {
      const good = [0, 1, 2, 3].map(() => 2 + 0.005 * normal());
      accused += averageReadings(good, 0.01).outlier ? 1 : 0;
      found += averageReadings([...good.slice(0, 3), 2 + 0.03 + 0.005 * normal()], 0.01).outlier?.index === 3 ? 1 : 0;
    }
    expect(accused).toBeLessThan(10);
    expect(found).toBeGreaterThan(930);
  });
});

test.each([
  [[], 0.01, 'TOO_FEW_OBSERVATIONS'],
  [[Number.NaN], 0.01, 'NON_FINITE_INPUT'],
  [[1], 0, 'INVALID_OPTION'],
])('%j with %d is refused: %s', (values, tolerance, code) => {
  expect(() => averageReadings(values, tolerance)).toThrow(expect.objectContaining({ code }));
});
