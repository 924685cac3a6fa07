import { uniform } from '@mesure/synthetic';
import { execFileSync } from 'node:child_process';
import path from 'node:path';
import { glance, halve, smooth, type GrayImage } from './gray-image';
import { pixelsOf, plainRows, rowKernel, scratchTaken, SPARE, type RowKernel, type Taps } from './row-kernel';
import { ROW_KERNEL_HEX } from './row-kernel-wasm';
import { SmoothedPicture } from './smoothed-picture';

const TAPS: Taps = [0.3, 0.2, 0.1, 0.04, 0.01];

function filled(kernel: RowKernel, seed: number): RowKernel {
  const u = uniform(seed);
  for (let i = 0; i < kernel.data.length; i += 1) kernel.data[i] = 255 * u();
  return kernel;
}
const pixels = (k: RowKernel, row: number, widthPx: number) => Array.from(k.rows[row].subarray(SPARE, SPARE + widthPx));
const noise = (widthPx: number, heightPx: number, seed: number): GrayImage => {
  const u = uniform(seed);
  return { widthPx, heightPx, data: Float32Array.from({ length: widthPx * heightPx }, () => 255 * u()) };
};

describe('row kernel', () => {
  test('runs as WebAssembly on this machine, from the source in the repository', () => {
    expect(rowKernel(8, 3).data.buffer.byteLength).toBeGreaterThanOrEqual(65_536);
    const script = "import { assemble } from './scripts/build-row-kernel.mjs'; process.stdout.write(Buffer.from(await assemble()).toString('hex'));";
    const hex = execFileSync('node', ['--input-type=module', '-e', script], { cwd: path.join(__dirname, '../../..'), encoding: 'utf8' });
    expect(hex).toBe(ROW_KERNEL_HEX);
  });

  test.each([1, 4, 7, 30, 61])('both kernels do the same to rows of %p pixels', (widthPx) => {
    const ROWS = 45;
    const [fast, plain] = [filled(rowKernel(widthPx, ROWS), widthPx), filled(plainRows(widthPx, ROWS), widthPx)];
    for (const k of [fast, plain]) {
      k.across(0, 20, TAPS);
      k.down([1, 2, 3, 4, 5, 6, 7, 8, 9], 21, TAPS);
      k.saddles([3, 4, 5], 22);
      k.smoothRows(0, 23, 40, 3, TAPS);
      k.halve(10, 11, 44);
      k.slopes([12, 13, 14], [30, 31, 32]);
      k.eigen([30, 31, 32], 33, 1 / 81);
    }
    for (const row of [20, 21, 22, 40, 41, 42]) {
      const [a, b] = [pixels(fast, row, widthPx), pixels(plain, row, widthPx)];
      a.forEach((v, i) => expect(Math.abs(v - b[i])).toBeLessThan(1e-5 * Math.max(1, Math.abs(b[i]), row === 22 ? 255 * 255 : 0)));
    }
    for (const row of [30, 31, 32, 33]) pixels(fast, row, widthPx).forEach((v, i) => expect(Math.abs(v - pixels(plain, row, widthPx)[i])).toBeLessThan(1e-6 * 255 * 255));
    pixels(fast, 44, widthPx >> 1).forEach((v, i) => expect(v).toBeCloseTo(pixels(plain, 44, widthPx >> 1)[i], 3));
  });

  test('peaks are the pixels that no neighbour exceeds; of equal ones the first', () => {
    for (const make of [rowKernel, plainRows]) {
      const k = make(9, 3);
      const put = (row: number, values: number[]) => k.rows[row].set(values, SPARE);
      put(0, [0, 0, 0, 0, 0, 6, 0, 0, 0]);
      put(1, [0, 5, 5, 0, 3, 0, 0, 9, 0]);
      put(2, [0, 0, 0, 0, 0, 0, 0, 0, 0]);
      const found = (least: number) => {
        const bits = k.peaks([0, 1, 2], least);
        return Array.from({ length: 9 }, (_, x) => x).filter((x) => ((bits[x >> 2] >> (x & 3)) & 1) === 1);
      };
      expect(found(1)).toEqual([1, 7]);
      expect(found(6)).toEqual([7]);
    }
  });

  test('the structure of a window is the sum over its pixels, with weights that end at its rim', () => {
    const [fast, plain] = [filled(rowKernel(40, 40), 3), filled(plainRows(40, 40), 3)];
    const window = { row: 5, x: 6, widthPx: 17, heightPx: 13, dx: -8.3, dy: -6.2 };
    for (const flat of [false, true]) {
      const [a, b] = [Array.from(fast.structure(window, 7, flat)), Array.from(plain.structure(window, 7, flat))];
      a.forEach((v, i) => expect(Math.abs(v - b[i])).toBeLessThan(1e-5 * Math.abs(b[0])));
    }
    // a plane that rises to the right: gradient (2, 0), so that xx = 4 Σ w and nothing across
    for (let y = 0; y < 40; y += 1) for (let x = 0; x < 48; x += 1) fast.data[y * 48 + x] = x;
    for (const [flat, power] of [
      [false, 2],
      [true, 4],
    ] as const) {
      const [xx, xy, yy] = fast.structure({ row: 10, x: 10, widthPx: 11, heightPx: 11, dx: -5, dy: -5 }, 6, flat);
      let weights = 0;
      for (let y = -5; y <= 5; y += 1) for (let x = -5; x <= 5; x += 1) weights += Math.max(0, 1 - ((x * x + y * y) / 36) ** power);
      expect(xx).toBeCloseTo(4 * weights, 2);
      expect([xy, yy]).toEqual([0, 0]);
    }
  });
});

describe('a picture smoothed where it is looked at', () => {
  const source = noise(150, 97, 8);
  const whole = smooth(source, 1.2);
  test.each([
    [75, 40, 9],
    [0.5, 0.5, 6],
    [149.5, 96.5, 20],
    [3, 90, 30],
  ])('is the smoothed picture about (%p, %p) within %p px', (x, y, reach) => {
    const { image, x0, y0 } = new SmoothedPicture(source, 1.2).near(x, y, reach);
    let compared = 0;
    for (let py = 0; py < 97; py += 1)
      for (let px = 0; px < 150; px += 1) {
        if (Math.abs(px + 0.5 - x) > reach || Math.abs(py + 0.5 - y) > reach) continue;
        compared += 1;
        expect(Math.abs(image.data[(py - y0) * image.widthPx + px - x0] - whole.data[py * 150 + px])).toBeLessThan(1e-3);
      }
    expect(compared).toBeGreaterThan(20);
  });
  test('whether place by place or in bands, and while others use the same memory', () => {
    const [byPlace, inBands] = [new SmoothedPicture(source, 1.2), new SmoothedPicture(source, 1.2)];
    for (let y = 6; y < 90; y += 9) {
      for (let x = 7; x < 145; x += 11) {
        inBands.holdBand(y - 8, y + 8);
        const [a, b] = [Array.from(byPlace.structureAt(x, y, 5, 2)), Array.from(inBands.structureAt(x, y, 5, 2))];
        a.forEach((v, i) => expect(Math.abs(v - b[i])).toBeLessThan(1e-4 * a[0]));
        const value = byPlace.at(x + 0.5, y + 0.5);
        expect(value).toBeCloseTo(whole.data[y * 150 + x], 2);
        const before = scratchTaken();
        halve(noise(30, 30, x));
        expect(scratchTaken()).toBeGreaterThan(before);
        expect(byPlace.at(x + 0.5, y + 0.5)).toBe(value);
      }
    }
  });
});

test('a glance keeps places, and reads the two middle rows of each block', () => {
  const ramp: GrayImage = { widthPx: 45, heightPx: 30, data: Float32Array.from({ length: 45 * 30 }, (_, i) => 3 * ((i % 45) + 0.5) + 2 * (Math.floor(i / 45) + 0.5)) };
  for (const level of [1, 2, 3]) {
    const factor = 2 ** level;
    const small = glance(ramp, level);
    expect([small.widthPx, small.heightPx]).toEqual([Math.floor(45 / factor), Math.floor(30 / factor)]);
    for (let y = 0; y < small.heightPx; y += 1) for (let x = 0; x < small.widthPx; x += 1) expect(small.data[y * small.widthPx + x]).toBeCloseTo(factor * (3 * (x + 0.5) + 2 * (y + 0.5)), 3);
  }
  expect(glance(ramp, 0).data).toBe(ramp.data);
  const stripes: GrayImage = { widthPx: 8, heightPx: 8, data: Float32Array.from({ length: 64 }, (_, i) => (Math.floor(i / 8) % 4 === 1 || Math.floor(i / 8) % 4 === 2 ? 0 : 1)) };
  expect(Array.from(glance(stripes, 2).data)).toEqual([0, 0, 0, 0]);
});

/** A picture of bytes and the same as floats; the bytes may begin anywhere in their memory. */
function bytesAndFloats(widthPx: number, heightPx: number, byteOffset: number): [GrayImage, GrayImage] {
  const u = uniform(widthPx + byteOffset);
  const data = new Uint8Array(new ArrayBuffer(widthPx * heightPx + byteOffset), byteOffset).map(() => Math.floor(256 * u()));
  return [
    { widthPx, heightPx, data },
    { widthPx, heightPx, data: Float32Array.from(data) },
  ];
}

describe.each([
  [160, 97, 0],
  [161, 50, 0],
  [42, 61, 4],
  [160, 64, 3],
])('a picture of bytes, %p × %p from byte %p of its memory', (widthPx, heightPx, byteOffset) => {
  const [bytes, floats] = bytesAndFloats(widthPx, heightPx, byteOffset);
  test('is smoothed and reduced as its numbers are', () => {
    expect(smooth(bytes, 1.2).data).toEqual(smooth(floats, 1.2).data);
    expect(halve(bytes).data).toEqual(halve(floats).data);
    for (const level of [1, 2, 3]) expect(glance(bytes, level).data).toEqual(glance(floats, level).data);
  });
  test('is smoothed as it where it is looked at, to its borders', () => {
    const [a, b] = [new SmoothedPicture(bytes, 1.2), new SmoothedPicture(floats, 1.2)];
    for (const [x, y] of [
      [20.3, 30.2],
      [0.5, 0.5],
      [widthPx - 0.6, heightPx - 0.7],
      [widthPx - 8, 12],
    ]) {
      for (const radius of [4, 14, 50]) {
        const expected = Array.from(b.structureAt(x, y, radius, 2));
        expect(Array.from(a.structureAt(x, y, radius, 2))).toEqual(expected);
      }
    }
  });
  test('both kernels read it alike', () => {
    const firsts = [0, 3 * widthPx + 5, widthPx, 2 * widthPx + 1];
    for (const picture of [pixelsOf(bytes.data), pixelsOf(floats.data)]) {
      for (const make of [rowKernel, plainRows]) {
        const k = make(44, 5);
        k.readRows(picture, firsts, 30, 7);
        firsts.forEach((first, i) => expect(k.rows[i].slice(7, 37)).toEqual(Float32Array.from(bytes.data.subarray(first, first + 30))));
        k.read(4, picture, 9, 33);
        expect(k.rows[4].slice(SPARE, SPARE + 33)).toEqual(Float32Array.from(bytes.data.subarray(9, 42)));
        const end = bytes.data.length;
        k.readRows(picture, [end - 31, end - 30], 30, 4);
        expect(k.rows[1].slice(4, 34)).toEqual(Float32Array.from(bytes.data.subarray(end - 30)));
      }
    }
    const means = [rowKernel(widthPx, 3), plainRows(widthPx, 3)].map((k) => {
      k.quarter(bytes.data as Uint8Array, widthPx, 3 * widthPx, widthPx, 2);
      return Array.from(k.rows[2].subarray(SPARE, SPARE + (widthPx >> 2)));
    });
    expect(means[0]).toEqual(means[1]);
  });
});
