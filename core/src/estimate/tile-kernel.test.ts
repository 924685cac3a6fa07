import { uniform } from '@mesure/synthetic';
import { execFileSync } from 'node:child_process';
import path from 'node:path';
import { cholesky, EnvelopeMatrix, invertSelected } from './envelope-cholesky';
import { plainTileKernel, tileKernel, type TileKernel } from './tile-kernel';
import { TILE_KERNEL_HEX } from './tile-kernel-wasm';

/** Scratch memory of 2000 numbers, the same for each kernel. */
function filled(kernel: TileKernel): TileKernel {
  const u = uniform(11);
  for (let i = 0; i < 2000; i += 1) kernel.data[i] = u() - 0.5;
  return kernel;
}
const part = (k: TileKernel, from: number, count: number) => Array.from(k.data.subarray(from, from + count));

describe('tile kernel', () => {
  test('runs as WebAssembly on this machine, from the source in the repository', () => {
    expect(tileKernel(16).data.buffer).not.toBe(plainTileKernel(16).data.buffer);
    const hex = execFileSync(
      'node',
      ['--input-type=module', '-e', "import { assemble } from './scripts/build-tile-kernel.mjs'; process.stdout.write(Buffer.from(await assemble()).toString('hex'));"],
      {
        cwd: path.join(__dirname, '../../..'),
        encoding: 'utf8',
      },
    );
    expect(hex).toBe(TILE_KERNEL_HEX);
  });

  test('tiles are sums of products', () => {
    const k = filled(plainTileKernel(2000));
    k.tiles(0, 400, 5, 2, 40, 1000);
    for (let q = 0; q < 2; q += 1) {
      for (let i = 0; i < 4; i += 1) {
        for (let j = 0; j < 4; j += 1) {
          const expected = [0, 1, 2, 3, 4].reduce((s, n) => s + k.data[4 * n + i] * k.data[400 + 40 * q + 4 * n + j], 0);
          expect(k.data[1000 + 16 * q + 4 * i + j]).toBeCloseTo(expected, 14);
        }
      }
    }
  });

  test.each([0, 1, 7, 60])('both kernels give the same bits over %p rows', (length) => {
    const fast = filled(tileKernel(2000));
    const plain = filled(plainTileKernel(2000));
    for (const k of [fast, plain]) {
      k.tiles(0, 300, length, 3, 260, 1200);
      k.spread(4, 1200, 1300, length);
    }
    expect(part(fast, 1200, 500)).toEqual(part(plain, 1200, 500));
  });

  test('memory grows without losing the answer, and small requests share it', () => {
    const small = tileKernel(100);
    const large = tileKernel(small.data.length + 1);
    expect(large.data.length).toBeGreaterThan(small.data.length);
    expect(tileKernel(100)).toBe(large);
  });

  test('a factor and an inverse are the same bits with either kernel', () => {
    const u = uniform(5);
    const make = () => new EnvelopeMatrix(Array.from({ length: 203 }, (_, i) => Math.max(0, i - 40 - (i % 5))));
    const [a, b] = [make(), make()];
    for (let i = 0; i < 203; i += 1) {
      for (let j = a.firstOf[i >> 2]; j <= i; j += 1) {
        const v = i === j ? 60 + u() : u() - 0.5;
        a.data[a.at(i, j)] = v;
        b.data[b.at(i, j)] = v;
      }
    }
    expect(cholesky(a)).toBe(true);
    expect(cholesky(b, plainTileKernel)).toBe(true);
    expect(Array.from(a.data)).toEqual(Array.from(b.data));
    expect(Array.from(invertSelected(a).data)).toEqual(Array.from(invertSelected(b, plainTileKernel).data));
  });
});
