import { convexHull, hullAreaPx } from '../math';
import { renderChequer, uniform } from '@mesure/synthetic';
import { halve, sampleAt, smooth, SmoothedPicture, type GrayImage } from '../picture';
import { refineCorner } from './refine-corner';
import { findSaddles, ringTest } from '../charts';

const image = (widthPx: number, heightPx: number, value: (x: number, y: number) => number): GrayImage => ({
  widthPx,
  heightPx,
  data: Float32Array.from({ length: widthPx * heightPx }, (_, i) => value(i % widthPx, Math.floor(i / widthPx))),
});

describe('smoothing', () => {
  test.each([
    [31, 23],
    [9, 40],
    [3, 2],
    [1, 1],
  ])('%p × %p is the convolution with a Gaussian, mirrored at its borders', (w, h) => {
    const u = uniform(w);
    const source = image(w, h, () => 255 * u());
    const out = smooth(source, 1.2);
    // the definition, point by point
    const weight = (d: number) => Math.exp((-d * d) / (2 * 1.44));
    const total = Array.from({ length: 9 }, (_, i) => weight(i - 4)).reduce((s, v) => s + v, 0);
    const mirror = (i: number, n: number) => Math.min(n - 1, Math.max(0, i < 0 ? -i - 1 : i >= n ? 2 * n - 1 - i : i));
    for (let y = 0; y < h; y += 1) {
      for (let x = 0; x < w; x += 1) {
        let sum = 0;
        for (let j = -4; j <= 4; j += 1) for (let i = -4; i <= 4; i += 1) sum += (weight(i) * weight(j) * source.data[mirror(y + j, h) * w + mirror(x + i, w)]) / (total * total);
        expect(Math.abs(out.data[y * w + x] - sum)).toBeLessThan(1e-3);
      }
    }
  });
  test('keeps a flat picture flat and refuses a width that it cannot hold', () => {
    expect(
      [
        ...smooth(
          image(20, 20, () => 77),
          1,
        ).data,
      ].every((v) => Math.abs(v - 77) < 1e-4),
    ).toBe(true);
    for (const sigma of [0, -1, 1.6, NaN])
      expect(() =>
        smooth(
          image(9, 9, () => 0),
          sigma,
        ),
      ).toThrow(RangeError);
  });
});

test('halving keeps places: full = 2 · half', () => {
  const ramp = image(40, 30, (x, y) => 3 * (x + 0.5) + 2 * (y + 0.5));
  const half = halve(ramp);
  expect([half.widthPx, half.heightPx]).toEqual([20, 15]);
  expect(sampleAt(half, 7.3, 6.1)).toBeCloseTo(sampleAt(ramp, 14.6, 12.2), 3);
});

test('sampling between pixels is linear, with the first centre at one half', () => {
  const ramp = image(10, 10, (x, y) => 10 * x + y);
  expect(sampleAt(ramp, 0.5, 0.5)).toBe(0);
  expect(sampleAt(ramp, 3.75, 2.5)).toBeCloseTo(34.5, 6);
});

/** Two edges that cross at (x, y) under 90°, turned by `angle`, smeared as by a lens: an error function across each edge. */
function crossing(x: number, y: number, angle: number, contrast = 100): GrayImage {
  const soft = (d: number) => Math.tanh(d / 1.3);
  return image(60, 60, (px, py) => {
    const dx = px + 0.5 - x,
      dy = py + 0.5 - y;
    return 128 + contrast * soft(dx * Math.cos(angle) + dy * Math.sin(angle)) * soft(-dx * Math.sin(angle) + dy * Math.cos(angle));
  });
}

describe('corners', () => {
  test.each([
    [30, 30, 0],
    [29.37, 30.81, 0.3],
    [30.5, 29.02, 0.785],
    [28.11, 31.66, 1.2],
  ])('a crossing at %p, %p turned by %p is found to a hundredth of a pixel', (x, y, angle) => {
    const picture = new SmoothedPicture(crossing(x, y, angle), 1.2);
    const saddle = findSaddles(picture.whole(), 4)[0];
    expect(Math.hypot(saddle.x - x, saddle.y - y)).toBeLessThan(1);
    const corner = { x: saddle.x, y: saddle.y };
    expect(refineCorner(picture, corner, 7, 3)).toBe(true);
    expect(Math.hypot(corner.x - x, corner.y - y)).toBeLessThan(0.01);
    // the ring sees the bright quadrants between the edges
    const turn = Math.abs(saddle.brightRad - ((angle + Math.PI / 4) % Math.PI)) % Math.PI;
    expect(Math.min(turn, Math.PI - turn)).toBeLessThan(0.1);
  });
  test('an edge, a spot and flat noise are no crossings', () => {
    const edge = image(60, 60, (x) => 128 + 100 * Math.tanh((x - 30) / 2));
    const spot = image(60, 60, (x, y) => 128 + 100 * Math.exp(-((x - 30) ** 2 + (y - 30) ** 2) / 20));
    for (const picture of [edge, spot]) expect(ringTest(picture, 30, 30, 5, 5)).toBeNull();
    expect(refineCorner(new SmoothedPicture(edge, 1.2), { x: 30, y: 30 }, 7, 3)).toBe(false);
  });
  test('one that lies too near the border or wanders off is refused', () => {
    const picture = new SmoothedPicture(crossing(30, 30, 0.2), 1.2);
    expect(refineCorner(picture, { x: 3, y: 30 }, 7, 3)).toBe(false);
    expect(refineCorner(picture, { x: 34.5, y: 30 }, 7, 0.5)).toBe(false);
  });
  test('a faint chart in a bright picture is found as well as a strong one', () => {
    for (const contrast of [4, 100]) expect(findSaddles(smooth(crossing(30.4, 30.2, 0.4, contrast), 1.2), 4).length).toBeGreaterThan(0);
  });
  test('every inner corner of a small rendered chart is a saddle', () => {
    const f = 500;
    const plate = renderChequer({
      widthPx: 400,
      heightPx: 300,
      lens: { fxPx: f, fyPx: f, cx: 200, cy: 150, k1: 0, k2: 0, k3: 0, p1: 0, p2: 0 },
      cellSlope: 30 / f,
      blurPx: 1,
      noise: 1,
      offsetCells: [0.4, 0.2],
    });
    const saddles = findSaddles(smooth({ widthPx: 400, heightPx: 300, data: new Float32Array(plate.gray) }, 1.2), 4);
    for (const c of plate.corners.filter((q) => q.x > 8 && q.y > 8 && q.x < 392 && q.y < 292)) expect(saddles.some((s) => Math.hypot(s.x - c.x, s.y - c.y) < 1.5)).toBe(true);
  });
});

describe('hull', () => {
  test('of a square with points inside is the square', () => {
    const points = [
      [0, 0],
      [10, 0],
      [10, 10],
      [0, 10],
      [5, 5],
      [3, 0],
      [10, 2],
    ].map(([x, y]) => ({ x, y }));
    expect(hullAreaPx(points)).toBe(100);
    expect(convexHull(points)).toHaveLength(4);
  });
  test('of many points is that of all of them, whatever lies inside or on its edges', () => {
    const u = uniform(17);
    const clouds = [
      // a lattice: most of its border lies on the hull's edges
      Array.from({ length: 400 }, (_, i) => ({ x: i % 20, y: Math.floor(i / 20) })),
      Array.from({ length: 500 }, () => ({ x: 100 * u(), y: 20 * u() })),
      // round: every eighth of it outside the octagon
      Array.from({ length: 300 }, (_, i) => ({ x: 50 * Math.cos(i), y: 50 * Math.sin(i) })),
      // in one line, and all at one place
      Array.from({ length: 100 }, (_, i) => ({ x: i, y: 3 * i })),
      Array.from({ length: 100 }, () => ({ x: 4, y: 7 })),
    ];
    for (const cloud of clouds) {
      const hull = convexHull(cloud);
      // nothing lies outside, and each corner of it is needed
      hull.forEach((a, i) => {
        const b = hull[(i + 1) % hull.length];
        expect(Math.min(...cloud.map((p) => (b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x)))).toBeGreaterThanOrEqual(-1e-9);
      });
      // few at a time, too few to be sifted, the hulls' hull is the same
      const parts = Array.from({ length: Math.ceil(cloud.length / 50) }, (_, i) => convexHull(cloud.slice(50 * i, 50 * i + 50)));
      let joined = parts[0];
      for (const part of parts.slice(1)) joined = [...joined, ...part].length < 64 ? convexHull([...joined, ...part]) : [...joined, ...part];
      expect(hullAreaPx(cloud)).toBeCloseTo(hullAreaPx(joined), 6);
    }
  });
  test('points in one line enclose nothing', () => {
    expect(hullAreaPx([0, 1, 2, 3].map((x) => ({ x, y: 2 * x })))).toBe(0);
  });
});
