import { reserve, wasmExports, type WasmMemory } from '../math/wasm';
import type { GrayImage } from '../picture';
import { CORNER_KERNEL_HEX } from './corner-kernel-wasm';

/** Squares of the pixels, pixels, and their products with five columns. */
export const SUM_COUNT = 7;
/** Weights of a block of four pixels: which of them count (1 or 0), then the five columns, four numbers each; 0 where a pixel does not count. */
export const BLOCK_WEIGHTS = 24;

/** A window's pixels: its upper left one in the picture, and how many blocks of four across and rows down. */
export interface KernelWindow {
  x: number;
  y: number;
  blocks: number;
  heightPx: number;
}

/**
 * Sums over the pixels of many windows of one picture, in single precision. WebAssembly SIMD where the machine has it (see
 * scripts/build-corner-kernel.mjs), else the same sums in TypeScript.
 */
export interface CornerKernel {
  /** Takes the picture's rows from `topPx`, so many of them, in place of what was held. */
  hold(image: GrayImage, topPx: number, count: number): void;
  /** BLOCK_WEIGHTS numbers a block, block by block along a row, row by row. */
  use(weights: Float32Array): void;
  /**
   * With g the pixels that count, less `level`: Σ g², Σ g and Σ c·g of each column c, written into `sums`.
   * The window's rows must be held; a block may reach beyond the picture's right border, where nothing counts.
   */
  weigh(window: KernelWindow, level: number, sums: Float64Array): void;
}

interface Exports extends WasmMemory {
  weigh(row: number, stride: number, height: number, blocks: number, weights: number, level: number, out: number): void;
}

/** What is read beyond the last row's end. */
const SPARE_PX = 4;
/** Bytes of four times the sums, up to which the memory's beginning is theirs. */
const OUT_BYTES = 128;

function copyRows({ widthPx, heightPx, data }: GrayImage, topPx: number, count: number, to: Float32Array): void {
  const rows = Math.min(count, heightPx - topPx);
  to.set(data.subarray(topPx * widthPx, (topPx + rows) * widthPx));
}

function wasmKernel(exports: Exports): CornerKernel {
  let widthPx = 0,
    top = 0,
    room = 0;
  let weights: Float32Array = new Float32Array(0);
  const out = () => new Float32Array(exports.memory.buffer, 0, 4 * SUM_COUNT);
  let lanes = out();
  /** the weights lie after the rows, and are laid there again when more rows are held */
  const lay = (): void => {
    const at = OUT_BYTES + 4 * room;
    reserve(exports.memory, at + weights.byteLength);
    new Float32Array(exports.memory.buffer, at, weights.length).set(weights);
    lanes = out();
  };
  return {
    hold(image, topPx, count) {
      const size = image.widthPx * count + SPARE_PX;
      [widthPx, top] = [image.widthPx, topPx];
      if (size > room) {
        room = size;
        lay();
      }
      copyRows(image, topPx, count, new Float32Array(exports.memory.buffer, OUT_BYTES, size));
    },
    use(next) {
      weights = next;
      lay();
    },
    weigh({ x, y, blocks, heightPx }, level, sums) {
      exports.weigh(OUT_BYTES + 4 * ((y - top) * widthPx + x), 4 * widthPx, heightPx, blocks, OUT_BYTES + 4 * room, level, 0);
      for (let i = 0; i < SUM_COUNT; i += 1) sums[i] = lanes[4 * i] + lanes[4 * i + 1] + lanes[4 * i + 2] + lanes[4 * i + 3];
    },
  };
}

/** The plain loop: the reference, and the answer where there is no SIMD. */
export function plainKernel(): CornerKernel {
  let widthPx = 0,
    top = 0;
  let held: Float32Array = new Float32Array(0);
  let weights: Float32Array = new Float32Array(0);
  return {
    hold(image, topPx, count) {
      [widthPx, top] = [image.widthPx, topPx];
      const size = image.widthPx * count + SPARE_PX;
      if (held.length < size) held = new Float32Array(size);
      copyRows(image, topPx, count, held);
    },
    use(next) {
      weights = next;
    },
    weigh({ x, y, blocks, heightPx }, level, sums) {
      sums.fill(0, 0, SUM_COUNT);
      for (let row = 0, w = 0; row < heightPx; row += 1) {
        const from = (y - top + row) * widthPx + x;
        for (let px = 0; px < 4 * blocks; px += 1) {
          const at = w + (px & 3);
          const grey = weights[at] * (held[from + px] - level);
          sums[0] += grey * grey;
          sums[1] += grey;
          for (let c = 1; c < 6; c += 1) sums[c + 1] += weights[at + 4 * c] * grey;
          if ((px & 3) === 3) w += BLOCK_WEIGHTS;
        }
      }
    },
  };
}

let kernel: CornerKernel | undefined;

/** The fastest kernel that this machine has; what it holds is the last asker's. */
export function cornerKernel(): CornerKernel {
  if (kernel) return kernel;
  const exports = wasmExports<Exports>(CORNER_KERNEL_HEX);
  kernel = exports ? wasmKernel(exports) : plainKernel();
  return kernel;
}
