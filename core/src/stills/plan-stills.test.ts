import { piece } from '../setup/test-setup';
import { stillsAlong, stillsRoom, stillsRound, timesSeen } from './plan-stills';

// 36 mm wide, 18 mm focal length: half of the view is 45 degrees, so that a picture covers twice the distance
const optics = { image: { width: 6000, height: 4000 }, sensor: { widthMm: 36, heightMm: 24 }, focal: { mm: 18 } };

describe('stills', () => {
  test('along a wall: step and count by hand', () => {
    // at 2 m a picture covers 4 m; 25 % overlap steps 3 m; 12 m need ⌈8/3⌉ + 1 = 4, evenly 8/3 m apart
    const walk = stillsAlong(piece({ widthM: 12, zM: -5, depthM: 0.2 }), 2, 1.6, optics);
    expect(walk.coversM).toBeCloseTo(4, 9);
    expect(walk.stations).toHaveLength(4);
    expect(walk.stepM).toBeCloseTo(8 / 3, 9);
    expect(walk.stations[0]).toMatchObject({ headingRad: 0 });
    expect(walk.stations[0].at[0]).toBeCloseTo(-4, 9);
    expect(walk.stations[0].at[2]).toBeCloseTo(-5 + 0.1 + 2, 9);
    expect(stillsAlong(piece({ widthM: 4 }), 2, 1.6, optics).stations).toHaveLength(1);
    expect(stillsAlong(piece({ widthM: 4.1 }), 2, 1.6, optics).stations).toHaveLength(2);
  });
  test('neighbours overlap by at least what was asked', () => {
    for (const widthM of [5, 7.3, 11, 30]) {
      const walk = stillsAlong(piece({ widthM }), 2, 1.6, optics, 0.2);
      expect(1 - walk.stepM / walk.coversM).toBeGreaterThanOrEqual(0.2 - 1e-9);
    }
  });
  test('round a thing: 18 at twenty degrees, never fewer than 16, all looking at it', () => {
    const box = piece({ kind: 'box', xM: 1, zM: -3, widthM: 1, depthM: 1, heightM: 1 });
    const walk = stillsRound(box, 2.5, 1.5, optics);
    expect(walk.stations).toHaveLength(18);
    expect(walk.stepDeg).toBe(20);
    expect(stillsRound(box, 2.5, 1.5, optics, 45).stations).toHaveLength(18);
    expect(stillsRound(box, 2.5, 1.5, optics, 10).stations).toHaveLength(36);
    expect(timesSeen([[1, 0.5, -3]], walk.stations, optics)).toEqual([18]);
    expect(() => stillsRound(box, 0.5, 1.5, optics)).toThrow(/inside/);
  });
  test('a room: all round from the middle, then from the walls; its middle is in every picture from a wall', () => {
    const floor = piece({ kind: 'floor', zM: 0, widthM: 6, depthM: 4, heightM: 0 });
    const walk = stillsRoom(floor, 1.5, optics);
    // 90° with a quarter overlap: 67.5°, six on the spot
    expect(walk.stations.slice(0, 6).every((s) => Math.hypot(s.at[0], s.at[2]) < 1e-9)).toBe(true);
    expect(walk.stations.length).toBe(6 + 8);
    expect(timesSeen([[0, 1.5, 0.01]], walk.stations.slice(6), optics)[0]).toBe(8);
  });
  test('what is behind or beside a picture is not in it', () => {
    const one = [{ at: [0, 1.5, 0] as const, headingRad: 0, tiltRad: 0 }];
    expect(
      timesSeen(
        [
          [0, 1.5, -2],
          [0, 1.5, 2],
          [1.9, 1.5, -2],
          [2.1, 1.5, -2],
          [0, 2.8, -2],
          [0, 2.9, -2],
        ],
        one,
        optics,
      ),
    ).toEqual([1, 0, 1, 0, 1, 0]);
    // turned a quarter to the left it looks along −X
    expect(timesSeen([[-2, 1.5, 0]], [{ ...one[0], headingRad: Math.PI / 2 }], optics)).toEqual([1]);
  });
  test('refuses what nobody could walk', () => {
    expect(() => stillsAlong(piece(), 0, 1.6, optics)).toThrow(/distance/);
    expect(() => stillsAlong(piece({ widthM: 10_000 }), 0.1, 1.6, optics)).toThrow(/further away/);
    expect(() => stillsAlong(piece(), 2, 1.6, optics, 0.95)).toThrow(/overlap/);
  });
});
