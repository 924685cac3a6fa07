import { seededNormal } from '../math';
import type { GrayImage } from '../picture';
import { cornersOrTexture, countDetail, findCorners } from './corners';

const picture = (widthPx: number, heightPx: number, at: (x: number, y: number) => number): GrayImage => {
  const data = new Float32Array(widthPx * heightPx);
  for (let y = 0; y < heightPx; y += 1) for (let x = 0; x < widthPx; x += 1) data[y * widthPx + x] = at(x, y);
  return { widthPx, heightPx, data };
};
/** Dark squares of 40 px every 80 px on grey, with noise of 2 grey levels. */
const squares = (w: number, h: number, only: (x: number, y: number) => boolean = () => true) => {
  const normal = seededNormal(3);
  return picture(w, h, (x, y) => (x % 80 >= 20 && x % 80 < 60 && y % 80 >= 20 && y % 80 < 60 && only(x, y) ? 60 : 140) + 2 * normal());
};

test('finds the corners of squares, each once and in its place', () => {
  const corners = findCorners(squares(640, 480));
  // 8 × 6 squares of four corners
  expect(corners).toHaveLength(192);
  for (const c of corners) {
    // the mean over a window is greatest a few pixels inside the square
    const near = [20, 60].map((e) => Math.min(Math.abs((c.x % 80) - e), 80 - Math.abs((c.x % 80) - e)));
    expect(Math.min(...near)).toBeLessThan(5);
  }
});
test('an edge, a plain picture and pure noise have none', () => {
  expect(findCorners(picture(400, 300, (x) => (x < 200 ? 60 : 140)))).toEqual([]);
  expect(findCorners(picture(400, 300, () => 100))).toEqual([]);
  for (const sigma of [2, 20]) {
    const normal = seededNormal(5);
    expect(findCorners(picture(400, 300, () => 128 + sigma * normal())).length).toBeLessThan(3);
  }
});
test('the count falls with the part of the set that is plain, and the spread says where', () => {
  const whole = countDetail(squares(640, 480));
  expect(whole).toEqual({ corners: 192, spread: 1 });
  const left = countDetail(squares(640, 480, (x) => x < 320));
  expect(left).toEqual({ corners: 96, spread: 0.5 });
});
test('a large picture is searched at its usual size, places stay those of the given one', () => {
  const large = picture(3200, 1600, (x, y) => (Math.abs(x - 2000) < 300 && Math.abs(y - 800) < 300 ? 50 : 150));
  const corners = findCorners(large);
  expect(corners).toHaveLength(4);
  for (const c of corners) expect(Math.hypot(Math.abs(c.x - 2000) - 300, Math.abs(c.y - 800) - 300)).toBeLessThan(12);
});
test('a picture smaller than the window has none', () => {
  expect(findCorners(picture(8, 8, (x) => x * 20))).toEqual([]);
});

/** Stains of about `size` px all over, as gravel has them. */
const gravel = (w: number, h: number, size: number) => {
  const normal = seededNormal(9);
  const columns = Math.ceil(w / size) + 2;
  const grains = Float64Array.from({ length: columns * (Math.ceil(h / size) + 2) }, () => 120 + 40 * normal());
  return picture(w, h, (x, y) => {
    const [i, j] = [Math.floor(x / size), Math.floor(y / size)];
    const [p, q] = [x / size - i, y / size - j];
    const at = (a: number, b: number) => grains[(j + b) * columns + i + a];
    return (1 - q) * ((1 - p) * at(0, 0) + p * at(1, 0)) + q * ((1 - p) * at(0, 1) + p * at(1, 1)) + normal();
  });
};
test('of gravel, in which nothing stands out, its texture is found all over; of noise, however strong, nothing', () => {
  const image = gravel(640, 480, 6);
  expect(findCorners(image).length).toBeLessThan(24);
  const corners = cornersOrTexture(image);
  expect(corners.length).toBeGreaterThan(300);
  expect(new Set(corners.map((c) => Math.floor(c.x / 160) + 4 * Math.floor(c.y / 160))).size).toBe(12);
  for (const sigma of [2, 20]) {
    const normal = seededNormal(5);
    expect(cornersOrTexture(picture(640, 480, () => 100 + sigma * normal()))).toEqual([]);
  }
  // where something stands out it is that
  expect(cornersOrTexture(squares(640, 480))).toEqual(findCorners(squares(640, 480)));
});
