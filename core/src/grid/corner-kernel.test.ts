import { uniform } from '@mesure/synthetic';
import { execFileSync } from 'node:child_process';
import path from 'node:path';
import type { GrayImage } from '../picture';
import { BLOCK_WEIGHTS, cornerKernel, plainKernel, SUM_COUNT, type CornerKernel } from './corner-kernel';
import { CORNER_KERNEL_HEX } from './corner-kernel-wasm';

const WIDTH = 61;
const HEIGHT = 90;
const u = uniform(5);
const grey = Float32Array.from({ length: WIDTH * HEIGHT }, () => 255 * u());
const floats: GrayImage = { widthPx: WIDTH, heightPx: HEIGHT, data: grey };
const bytes: GrayImage = { widthPx: WIDTH, heightPx: HEIGHT, data: Uint8Array.from(grey) };

/** Weights of a window, a third of whose pixels do not count. */
function weightsOf(blocks: number, heightPx: number, seed: number): Float32Array {
  const random = uniform(seed);
  const weights = new Float32Array(BLOCK_WEIGHTS * blocks * heightPx);
  for (let block = 0; block < weights.length; block += BLOCK_WEIGHTS)
    for (let lane = 0; lane < 4; lane += 1) {
      if (random() < 1 / 3) continue;
      weights[block + lane] = 1;
      for (let c = 1; c < 6; c += 1) weights[block + lane + 4 * c] = 2 * random() - 1;
    }
  return weights;
}

/** The sums by their definition. */
function defined(image: GrayImage, x: number, y: number, blocks: number, heightPx: number, weights: Float32Array, level: number): number[] {
  const sums = new Array<number>(SUM_COUNT).fill(0);
  for (let row = 0; row < heightPx; row += 1)
    for (let px = 0; px < 4 * blocks; px += 1) {
      const at = BLOCK_WEIGHTS * (row * blocks + (px >> 2)) + (px & 3);
      if (weights[at] === 0) continue;
      const g = image.data[(y + row) * image.widthPx + x + px] - level;
      sums[0] += g * g;
      sums[1] += g;
      for (let c = 1; c < 6; c += 1) sums[c + 1] += weights[at + 4 * c] * g;
    }
  return sums;
}

describe('corner kernel', () => {
  test('runs as WebAssembly on this machine, from the source in the repository', () => {
    const script = "import { assemble } from './scripts/build-corner-kernel.mjs'; process.stdout.write(Buffer.from(await assemble()).toString('hex'));";
    const hex = execFileSync('node', ['--input-type=module', '-e', script], { cwd: path.join(__dirname, '../../..'), encoding: 'utf8' });
    expect(hex).toBe(CORNER_KERNEL_HEX);
    expect(cornerKernel()).toBe(cornerKernel());
  });

  test.each([
    ['the fastest', cornerKernel],
    ['the plain one', plainKernel],
  ])('%s sums the pixels that count, of floats and of bytes, whatever was held before', (_, make: () => CornerKernel) => {
    const kernel = make();
    const sums = new Float64Array(SUM_COUNT);
    for (const [image, top, rows] of [
      [floats, 10, 40],
      [bytes, 0, 90],
      [floats, 60, 30],
      // more rows than there are: those of the picture
      [bytes, 70, 40],
    ] as const) {
      kernel.hold(image, top, rows);
      for (const [blocks, heightPx] of [
        [1, 1],
        [7, 20],
        [5, 13],
      ]) {
        const weights = weightsOf(blocks, heightPx, blocks * heightPx + top);
        kernel.use(weights);
        for (const [x, y] of [
          [0, top],
          [WIDTH - 4 * blocks, Math.min(HEIGHT, top + rows) - heightPx],
        ]) {
          kernel.weigh({ x, y, blocks, heightPx }, 100, sums);
          defined(image, x, y, blocks, heightPx, weights, 100).forEach((v, i) => expect(Math.abs(sums[i] - v)).toBeLessThan(i === 0 ? 1e-5 * v + 1e-3 : 0.02));
        }
      }
    }
  });

  test('weights stay where more rows are held after them', () => {
    const kernel = cornerKernel();
    const sums = new Float64Array(SUM_COUNT);
    const weights = weightsOf(6, 17, 3);
    kernel.hold(floats, 0, 20);
    kernel.use(weights);
    const large: GrayImage = { widthPx: 4000, heightPx: 300, data: Float32Array.from({ length: 1_200_000 }, (_, i) => (i * 7) % 251) };
    kernel.hold(large, 0, 300);
    kernel.weigh({ x: 3900, y: 250, blocks: 6, heightPx: 17 }, 120, sums);
    defined(large, 3900, 250, 6, 17, weights, 120).forEach((v, i) => expect(Math.abs(sums[i] - v)).toBeLessThan(i === 0 ? 1e-5 * v : 0.02));
  });
});
