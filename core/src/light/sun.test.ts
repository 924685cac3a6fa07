import { piece } from '../setup/test-setup';
import { shadowOutline } from './shadow';
import { bracketCount, shadowLengthM, sunAt, sunTravelDeg } from './sun';

describe('the sun', () => {
  test('as published: Reda & Andreas, Solar Position Algorithm (2004), table A5.1', () => {
    // 17 October 2003, 12:30:30 at UTC−7, 39.742476° N, 105.1786° W: zenith 50.11162°, azimuth 194.34024°
    const sun = sunAt(39.742476, -105.1786, Date.UTC(2003, 9, 17, 19, 30, 30));
    expect(sun.azimuthDeg).toBeCloseTo(194.34024, 1);
    expect(Math.abs(sun.elevationDeg - (90 - 50.11162))).toBeLessThan(0.02);
  });
  test('at solstice and equinox the height at noon is known without an almanac', () => {
    const highest = (latitude: number, day: number) => Math.max(...Array.from({ length: 1440 }, (_, m) => sunAt(latitude, 0, day + 60_000 * m).elevationDeg));
    // 90 − latitude + obliquity of 2024, 23.436°; refraction at 62° is 0.009°
    expect(highest(51.5, Date.UTC(2024, 5, 20))).toBeCloseTo(90 - 51.5 + 23.436 + 0.009, 2);
    expect(highest(51.5, Date.UTC(2024, 11, 21))).toBeCloseTo(90 - 51.5 - 23.436 + 0.06, 1);
    // in the south it stands in the north at noon
    const noon = sunAt(-33.9, 18.4, Date.UTC(2024, 5, 21, 10, 48));
    expect(Math.min(noon.azimuthDeg, 360 - noon.azimuthDeg)).toBeLessThan(2);
  });
  test('rises in the east and sets in the west at the equinox', () => {
    expect(sunAt(0, 0, Date.UTC(2024, 2, 20, 6, 7)).azimuthDeg).toBeCloseTo(90, 0);
    expect(sunAt(0, 0, Date.UTC(2024, 2, 20, 18, 7)).azimuthDeg).toBeCloseTo(270, 0);
  });
  test('goes 15° an hour along the equator of the sky', () => {
    const at = (h: number) => sunAt(0, 0, Date.UTC(2024, 2, 20, h));
    expect(sunTravelDeg(at(10), at(11))).toBeCloseTo(15, 1);
    expect(sunTravelDeg(at(9), at(9))).toBeCloseTo(0, 5);
  });
  test('shadows: as long as high at 45°, none at night', () => {
    expect(shadowLengthM(1.8, { azimuthDeg: 180, elevationDeg: 45 })).toBeCloseTo(1.8, 12);
    expect(shadowLengthM(1, { azimuthDeg: 180, elevationDeg: 30 })).toBeCloseTo(Math.sqrt(3), 12);
    expect(shadowLengthM(1, { azimuthDeg: 0, elevationDeg: -3 })).toBeNull();
    expect(shadowLengthM(1, { azimuthDeg: 0, elevationDeg: 0 })).toBe(Infinity);
  });
  test('the shadow of a box is its footprint drawn out away from the sun', () => {
    const post = piece({ kind: 'post', xM: 0, zM: 0, widthM: 0.2, depthM: 0.2, heightM: 2 });
    // the sun in the south, north is −Z: at 45° the shadow ends 2 m north of the footprint
    const south = shadowOutline(post, { azimuthDeg: 180, elevationDeg: 45 }, 0);
    expect(Math.min(...south.map((q) => q.y))).toBeCloseTo(-2.1, 9);
    expect(Math.max(...south.map((q) => q.y))).toBeCloseTo(0.1, 9);
    expect(Math.max(...south.map((q) => Math.abs(q.x)))).toBeCloseTo(0.1, 9);
    // with north to the right of the plan it goes to the right; in the evening to the east of north
    expect(Math.max(...shadowOutline(post, { azimuthDeg: 180, elevationDeg: 45 }, 90).map((q) => q.x))).toBeCloseTo(2.1, 9);
    expect(Math.max(...shadowOutline(post, { azimuthDeg: 270, elevationDeg: 45 }, 0).map((q) => q.x))).toBeCloseTo(2.1, 9);
    expect(shadowOutline(post, { azimuthDeg: 0, elevationDeg: -1 }, 0)).toEqual([]);
    expect(shadowOutline(piece({ kind: 'floor', heightM: 0 }), { azimuthDeg: 0, elevationDeg: 30 }, 0)).toEqual([]);
  });
  test('brackets cover the contrast with an odd number', () => {
    expect(bracketCount(20, 12, 2)).toBe(5);
    expect(bracketCount(21, 12, 2)).toBe(7);
    expect(bracketCount(10, 12, 2)).toBe(1);
    expect(() => bracketCount(20, 12, 0)).toThrow(/step/);
  });
  test('refuses places that are not on Earth', () => {
    expect(() => sunAt(91, 0, 0)).toThrow(/latitude/);
    expect(() => sunAt(0, 181, 0)).toThrow(/longitude/);
    expect(() => sunAt(Number.NaN, 0, 0)).toThrow(/numbers/);
  });
});
