import { TILE_KERNEL_HEX } from './tile-kernel-wasm';
import { reserve, wasmExports, type WasmMemory } from '../math/wasm';

/**
 * The two innermost loops of the linear algebra, over panels of four: a panel keeps rows (or columns) 4p…4p+3 together, element (i, k)
 * at 4k + i, so that a 4×4 tile of a product is read along contiguous memory and summed in registers.
 * `data` is scratch memory that the caller fills; it is shared, so nothing may be left in it from one operation to the next.
 * WebAssembly SIMD where the machine has it (see scripts/build-tile-kernel.mjs), else the same sums in plain TypeScript: products and
 * sums follow in the same order, so that both give the same bits.
 */
export interface TileKernel {
  readonly data: Float64Array;
  /** out[16q + 4i + j] = Σ_k a[4k + i] · b[strideOf(b)·q + 4k + j], q < count, k < length; all places are indices into `data` */
  tiles(a: number, b: number, length: number, count: number, stride: number, out: number): void;
  /** y[4k + j] += Σ_i z[4k + i] · v[4i + j], k < length */
  spread(z: number, v: number, y: number, length: number): void;
}

/** The kernel with at least `doubles` numbers of scratch memory. */
export type TileKernelSource = (doubles: number) => TileKernel;

/** The plain loops: the reference, and the answer where there is no SIMD. */
export function plainTileKernel(doubles: number): TileKernel {
  const data = new Float64Array(doubles);
  return {
    data,
    tiles(a, b, length, count, stride, out) {
      for (let q = 0; q < count; q += 1) {
        for (let i = 0; i < 4; i += 1) {
          let c0 = 0,
            c1 = 0,
            c2 = 0,
            c3 = 0;
          for (let k = 0, pa = a + i, pb = b + q * stride; k < length; k += 1, pa += 4, pb += 4) {
            const s = data[pa];
            c0 += s * data[pb];
            c1 += s * data[pb + 1];
            c2 += s * data[pb + 2];
            c3 += s * data[pb + 3];
          }
          const at = out + 16 * q + 4 * i;
          data[at] = c0;
          data[at + 1] = c1;
          data[at + 2] = c2;
          data[at + 3] = c3;
        }
      }
    },
    spread(z, v, y, length) {
      for (let k = 0; k < length; k += 1) {
        const pz = z + 4 * k;
        for (let j = 0; j < 4; j += 1) {
          data[y + 4 * k + j] = data[y + 4 * k + j] + data[pz] * data[v + j] + data[pz + 1] * data[v + 4 + j] + data[pz + 2] * data[v + 8 + j] + data[pz + 3] * data[v + 12 + j];
        }
      }
    },
  };
}

interface TileExports extends WasmMemory {
  tiles(a: number, b: number, length: number, count: number, stride: number, out: number): void;
  spread(z: number, v: number, y: number, length: number): void;
}

/** Null where WebAssembly or its SIMD is missing or forbidden. */
function wasmTileKernels(): TileKernelSource | null {
  const exports = wasmExports<TileExports>(TILE_KERNEL_HEX);
  if (!exports) return null;
  let kernel: TileKernel | null = null;
  return (doubles) => {
    if (kernel && kernel.data.length >= doubles) return kernel;
    const { memory, tiles, spread } = exports;
    // doubled, so that growing problems do not copy memory each time
    reserve(memory, 8 * Math.max(doubles, 2 * (kernel?.data.length ?? 0)));
    kernel = {
      data: new Float64Array(memory.buffer),
      tiles: (a, b, length, count, stride, out) => tiles(8 * a, 8 * b, 32 * length, count, 8 * stride, 8 * out),
      spread: (z, v, y, length) => spread(8 * z, 8 * v, 8 * y, 32 * length),
    };
    return kernel;
  };
}

/** The plain kernel with one memory that grows. */
function plainTileKernels(): TileKernelSource {
  let kernel = plainTileKernel(0);
  return (doubles) => {
    if (kernel.data.length < doubles) kernel = plainTileKernel(Math.max(doubles, 2 * kernel.data.length));
    return kernel;
  };
}

let shared: TileKernelSource | null = null;

/** The fastest kernel that this machine has; its memory is shared by all who ask and holds nothing between operations. */
export function tileKernel(doubles: number): TileKernel {
  shared ??= wasmTileKernels() ?? plainTileKernels();
  return shared(doubles);
}
