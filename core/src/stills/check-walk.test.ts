import { renderStill, roomPanels, sharedShare, type StillCamera, type StillLooks, some } from '@mesure/synthetic';
import type { GrayImage } from '../picture';
import { checkWalk, walkNeighbours, type WalkPicture } from './check-walk';
import { compareStills } from './compare-stills';
import { edgeSpreadByZone } from './edge-spread';
import { lookAtStill, type StillLook } from './look-at-still';
import { stationBetween, stationNames, type StillStation } from './plan-stills';
import { packFeatures, stillFeatures, unpackFeatures } from './still-features';

const DEG = Math.PI / 180;
const panels = roomPanels(12, 8, 3, 9);
const camera = (x: number, z: number, headingDeg: number, focalPx = 540): StillCamera => ({ at: [x, 1.5, z], headingRad: headingDeg * DEG, tiltRad: 0, widthPx: 720, heightPx: 480, focalPx });
const shoot = (c: StillCamera, looks: StillLooks = {}): GrayImage => {
  const { widthPx, heightPx, gray } = renderStill(panels, c, { noise: 2, ...looks });
  return { widthPx, heightPx, data: new Float32Array(gray) };
};
const notes = { widthPx: 720, heightPx: 480, shotWidthPx: 720, shotHeightPx: 480, focalMm: 27, focal35Mm: 27, focusM: null, body: null, lens: null, digitalZoom: null, shotAt: null };
const spot = (headingDeg: number, x = 0): StillStation => ({ at: [x, 1.5, 0], headingRad: headingDeg * DEG, tiltRad: 0 });

describe('pictures of a walk', () => {
  test.each(
    some(
      [
        ['along a wall, half', camera(-2, -1.5, 0), camera(-0.3, -1.5, 0)],
        ['along a wall, an eighth', camera(-2, -1.5, 0), camera(0.9, -1.5, 0)],
        ['on the spot, 40 degrees', camera(0, 0, 20), camera(0, 0, 60)],
        ['on the spot with a wide lens, 55 degrees', camera(0, 0, 20, 380), camera(0, 0, 75, 380)],
        ['round a place, 20 degrees', camera(0, -1, 0), camera(1.02, -1.18, 20)],
      ],
      3,
    ),
  )('overlap %s, against the room itself', (_name, a, b) => {
    const [one, two] = [stillFeatures(shoot(a, { seed: 1 })), stillFeatures(shoot(b, { seed: 2, stops: -0.6 }))];
    const pair = compareStills(one, two, 480 / 720);
    const truth = (sharedShare(panels, a, b) + sharedShare(panels, b, a)) / 2;
    expect(truth).toBeGreaterThan(0.1);
    expect(Math.abs((pair.overlap ?? -1) - truth)).toBeLessThan(0.025);
    expect(pair.stops).toBeCloseTo(-0.6, 1);
  });

  test('other walls have nothing in common, and a plain one says so of itself', () => {
    const one = stillFeatures(shoot(camera(-2, 0, 0)));
    expect(compareStills(one, stillFeatures(shoot(camera(2, 0, 180))), 480 / 720)).toMatchObject({ overlap: null, plain: false });
    const plain = roomPanels(12, 8, 3, 9).map((p) => ({ ...p, pattern: null }));
    const { widthPx, heightPx, gray } = renderStill(plain, camera(-2, -1.5, 0), { noise: 2 });
    expect(compareStills(one, stillFeatures({ widthPx, heightPx, data: new Float32Array(gray) }), 480 / 720)).toMatchObject({ overlap: null, plain: true });
  });

  test('features come back from their text as they were', () => {
    const f = stillFeatures(shoot(camera(-2, -1.5, 0)));
    const g = unpackFeatures(packFeatures(f));
    expect(f.count).toBeGreaterThan(60);
    expect(g.bits).toEqual(f.bits);
    expect(g.light).toEqual(f.light);
    expect(Math.max(...g.x.map((x, i) => Math.abs(x - f.x[i])))).toBeLessThan(1e-5);
    expect(unpackFeatures('')).toMatchObject({ count: 0 });
  });

  test.each(
    some(
      [
        [1, 1],
        [2, 2],
        [3, 3],
        [2.5, 0.7],
      ],
      2,
    ),
  )('edges blurred by %p px across and %p px down', (across, down) => {
    const zones = edgeSpreadByZone(shoot(camera(0, 0, 0), { blurPx: [across, down] }));
    const middle = (key: 'acrossPx' | 'downPx') =>
      zones
        .map((z) => z[key])
        .filter((v) => v !== null)
        .sort((a, b) => a - b);
    // the four rays of a pixel blur by another 0.3 px
    const [a, d] = [middle('acrossPx'), middle('downPx')];
    expect(a.length).toBeGreaterThan(4);
    expect(d.length).toBeGreaterThan(4);
    expect(Math.abs(a[a.length >> 1] / Math.hypot(across, 0.3) - 1)).toBeLessThan(0.25);
    expect(Math.abs(d[d.length >> 1] / Math.hypot(down, 0.3) - 1)).toBeLessThan(0.25);
  });

  test('a walk of five: a gap, one too light, one moved, one at another focal length; one not taken', () => {
    const at = [-4, -2.6, 0.6, 2, 3.4];
    const pictures: WalkPicture[] = at.slice(0, 4).map((x, station) => ({
      station,
      look: lookAtStill(shoot(camera(x, -1.5, 0), { seed: station + 1, stops: station === 1 ? 0.9 : 0, blurPx: station === 3 ? [3, 0.5] : [0.5, 0.5] })),
      notes: { ...notes, focalMm: station === 0 ? 35 : 27 },
    }));
    const check = checkWalk(
      pictures,
      walkNeighbours(
        'along',
        at.map((x) => spot(0, x)),
      ),
      0.5,
    );
    expect(check.gaps.map((g) => [g.from, g.to, g.why])).toEqual([
      [1, 2, expect.stringMatching(/little|none/)],
      [3, 4, 'not taken'],
    ]);
    expect(check.gaps[0].message).toMatch(/Between 2 and 3 .* one more from the middle/);
    expect(check.remarks.map((r) => [r.station, r.what])).toEqual(
      expect.arrayContaining([
        [0, 'focal'],
        [1, 'exposure'],
        [3, 'moved'],
      ]),
    );
    expect(check.remarks.find((r) => r.what === 'moved')!.message).toMatch(/sideways/);
    expect(check.remarks.find((r) => r.what === 'exposure')!.message).toMatch(/0\.[89] stops lighter than 1/);
    expect(check.pairs.map((p) => `${p.from}-${p.to}`)).toEqual(['0-1', '1-2', '2-3']);
  });

  test('a good walk has neither gaps nor remarks; a second picture of a station takes the place of the first', () => {
    const good = [0, 1, 2].map((station) => ({ station, look: lookAtStill(shoot(camera(-2 + 1.4 * station, -1.5, 0), { seed: station + 1 })), notes }));
    const neighbours = walkNeighbours('along', [spot(0), spot(0, 1), spot(0, 2)]);
    expect(checkWalk(good, neighbours, 0.5)).toMatchObject({ remarks: [], gaps: [] });
    const odd: WalkPicture = { station: 1, look: { ...good[1].look, widthPx: 600, heightPx: 400, burntShare: 0.2, lostShare: 0.4 }, notes };
    expect(checkWalk([...good.slice(0, 1), odd, ...good.slice(1)], neighbours, 0.5).remarks).toEqual([]);
    expect(checkWalk([...good, odd], neighbours, 0.5).remarks.map((r) => r.what)).toEqual(['burnt', 'dark', 'size']);
  });

  test('soft everywhere, soft in a corner, and a picture that no device could open', () => {
    const zone = (px: number) => ({ downPx: px, acrossPx: px });
    const look = (zones: number[]): StillLook => ({ widthPx: 4000, heightPx: 3000, zones: zones.map(zone), burntShare: 0, lostShare: 0, features: '' });
    const check = checkWalk(
      [
        { station: 0, look: look([5, 5, 5, 6, 6, 6, 5, 5, 5]), notes: null },
        { station: 1, look: look([1, 1, 4, 1, 1, 1, 1, 1, 1]), notes: null },
        { station: 2, look: null, notes: null },
      ],
      [
        [0, 1],
        [1, 2],
      ],
      0.25,
    );
    expect(check.remarks.map((r) => [r.station, r.message])).toEqual([
      [0, expect.stringContaining('Nowhere sharp')],
      [1, expect.stringContaining('Soft at the upper right: 4.0 px against 1.0 px')],
    ]);
    expect(check.gaps.map((g) => g.why)).toEqual(['plain', 'not looked at']);
  });

  test('neighbours: in a line, round a thing, and in a room', () => {
    const three = [spot(0), spot(0, 1), spot(0, 2)];
    expect(walkNeighbours('along', three)).toEqual([
      [0, 1],
      [1, 2],
    ]);
    expect(walkNeighbours('round', three)).toContainEqual([2, 0]);
    // three on the spot, then two along one wall and two along the next
    const room = [spot(0), spot(120), spot(240), spot(0, 1), spot(0, 2), spot(90, 3), spot(90, 4)];
    expect(walkNeighbours('room', room)).toEqual([
      [0, 1],
      [1, 2],
      [3, 4],
      [5, 6],
      [2, 0],
    ]);
    expect(walkNeighbours('along', [])).toEqual([]);
  });

  test('one more from between two stations, and one more again', () => {
    const three = [spot(0), spot(20, 2), spot(-20, 4)];
    const four = [...three, stationBetween(three, 1, 2)];
    expect(four[3].at).toEqual([3, 1.5, 0]);
    expect(four[3].headingRad).toBeCloseTo(0, 12);
    expect(walkNeighbours('round', four)).toEqual([
      [0, 1],
      [1, 3],
      [3, 2],
      [2, 0],
    ]);
    const five = [...four, stationBetween(four, 1, 3)];
    expect(walkNeighbours('round', five).slice(1, 4)).toEqual([
      [1, 4],
      [4, 3],
      [3, 2],
    ]);
    expect(stationNames(five)).toEqual(['1', '2', '3', '2–3', '2–2–3']);
    // from 170 degrees to -170 it is twenty degrees, not three hundred and forty
    expect(Math.abs(stationBetween([spot(170), spot(-170)], 0, 1).headingRad)).toBeCloseTo(Math.PI, 9);
    expect(checkWalk([{ station: 1, look: null, notes: null }], [[1, 3]], 0.25, stationNames(four)).gaps[0].message).toBe('Station 2–3 is not taken yet, beside 2.');
  });
});
