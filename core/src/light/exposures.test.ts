import { bracketOf, exposureStops } from './exposures';

describe('exposures', () => {
  test('stops by hand: each factor of two is one, the f-number squared', () => {
    expect(exposureStops({ seconds: 1, fNumber: 1, iso: 100 })).toBe(0);
    expect(exposureStops({ seconds: 1 / 8, fNumber: 2, iso: 400 })).toBeCloseTo(-3, 9);
    expect(exposureStops({ seconds: 1 / 60, fNumber: 5.6, iso: 100 }) - exposureStops({ seconds: 1 / 60, fNumber: 8, iso: 100 })).toBeCloseTo(2 * Math.log2(8 / 5.6), 9);
  });
  test('a bracket of five at two stops will do, given in any order', () => {
    const at = (seconds: number) => ({ seconds, fNumber: 8, iso: 100 });
    const b = bracketOf([at(1 / 60), at(1 / 4000), at(1 / 250), at(1 / 15), at(1 / 1000)]);
    expect(b.spanStops).toBeCloseTo(Math.log2(4000 / 15), 9);
    expect(b.widestStops).toBeCloseTo(Math.log2(250 / 60), 9);
    expect(b.lacks).toEqual([]);
    expect(b.stops[0]).toBe(0);
  });
  test('too narrow, too wide a step, all the same, none', () => {
    const at = (seconds: number) => ({ seconds, fNumber: 8, iso: 100 });
    expect(bracketOf([at(1 / 60), at(1 / 30)]).lacks).toEqual([expect.stringMatching(/^1\.0 stops/)]);
    expect(bracketOf([at(1 / 60), at(1 / 1920), at(1)]).lacks).toEqual([expect.stringMatching(/^one step is 5\.9 stops/)]);
    expect(bracketOf([at(1 / 60), at(1 / 60)]).lacks).toEqual(['all have the same exposure']);
    expect(bracketOf([])).toEqual({ pictures: 0, spanStops: 0, widestStops: 0, stops: [], lacks: ['all have the same exposure'] });
  });
});
