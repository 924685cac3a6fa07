import { renderChequer, type Lens } from '@mesure/synthetic';
import { redistortMap, resample, undistortMap, type FrameLens } from '.';

const W = 320,
  H = 180;
const raster = (w: number, h: number, value: (x: number, y: number, c: number) => number, channels = 3) => ({
  widthPx: w,
  heightPx: h,
  channels,
  data: Float32Array.from({ length: w * h * channels }, (_, i) => value(Math.floor(i / channels) % w, Math.floor(i / channels / w), i % channels)),
});

test('the map that leads to itself changes nothing, in any depth', () => {
  const map = { widthPx: W, heightPx: H, data: Float32Array.from({ length: 2 * W * H }, (_, i) => (i % 2 === 0 ? (((i >> 1) % W) + 0.5) / W : 1 - (Math.floor((i >> 1) / W) + 0.5) / H)) };
  const source = raster(W, H, (x, y, c) => 7 * x + 3 * y + c);
  const out = resample(source, map);
  for (let i = 0; i < source.data.length; i += 997) expect(out.data[i]).toBeCloseTo(source.data[i], 2);
  const words = { ...source, data: Uint16Array.from(source.data, (v) => v * 20) };
  expect(resample(words, map).data).toEqual(words.data);
});

test('a linear picture stays exact between the pixels; outside there is nothing', () => {
  const source = raster(W, H, (x, y) => x + 0.5 + 10 * (y + 0.5), 1);
  const map = { widthPx: 2, heightPx: 2, data: new Float32Array([100.3 / W, 1 - 50.8 / H, 1.2, 0.5, Number.NaN, Number.NaN, 200.1 / W, 1 - 99.9 / H]) };
  const { data } = resample(source, map);
  expect(data[0]).toBeCloseTo(100.3 + 508, 2);
  expect(data[1]).toBe(0);
  expect(data[2]).toBe(0);
  expect(data[3]).toBeCloseTo(200.1 + 999, 2);
});

test('undistorting a rendered chart makes its edges straight, and redistorting brings the picture back', () => {
  const fx = 400;
  const bent: Lens = { fxPx: fx, fyPx: fx, cx: W / 2, cy: H / 2, k1: -0.3, k2: 0, k3: 0, p1: 0, p2: 0 };
  const scene = { widthPx: W, heightPx: H, cellSlope: 30 / fx, blurPx: 1.2, offsetCells: [0.4, 0.3] as [number, number] };
  const plate = renderChequer({ ...scene, lens: bent });
  const source = { widthPx: W, heightPx: H, channels: 1, data: Float32Array.from(plate.gray) };
  const lens: FrameLens = { widthPx: W, heightPx: H, fxPx: fx, fyPx: fx, center: [W / 2, H / 2], distortion: { model: 'radial', k: [-0.3, 0, 0], p: [0, 0] } };
  const overscan = { left: 20, right: 20, top: 12, bottom: 12 };
  const straight = resample(source, undistortMap(lens, overscan));
  // the same chart through a lens without distortion, by the renderer's own formulas, in the larger frame
  const ideal = renderChequer({ ...scene, widthPx: W + 40, heightPx: H + 24, lens: { ...bent, k1: 0, cx: W / 2 + 20, cy: H / 2 + 12 } });
  let sum = 0,
    count = 0;
  for (let y = 20; y < H; y += 1)
    for (let x = 30; x < W + 10; x += 1) {
      sum += (straight.data[y * (W + 40) + x] - ideal.gray[y * (W + 40) + x]) ** 2;
      count += 1;
    }
  // a picture that was left bent differs by half of the chart's contrast; the rest here is blur that scale changes
  expect(Math.sqrt(sum / count)).toBeLessThan(12);
  const back = resample(straight, redistortMap(lens, overscan));
  let worst = 0;
  for (let y = 8; y < H - 8; y += 1) for (let x = 8; x < W - 8; x += 1) worst = Math.max(worst, Math.abs(back.data[y * W + x] - source.data[y * W + x]));
  expect(worst).toBeLessThan(40);
});
