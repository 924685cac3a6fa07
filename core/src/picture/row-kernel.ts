import { reserve, wasmExports, type WasmMemory } from '../math/wasm';
import { ROW_KERNEL_HEX } from './row-kernel-wasm';

/** The middle of a symmetrical kernel of nine and the four weights beside it. */
export type Taps = readonly [number, number, number, number, number];

/** A window of a picture about a point: its first pixel by row and column, its size, and where its first centre lies from the point, px. */
export interface Window {
  row: number;
  x: number;
  widthPx: number;
  heightPx: number;
  dx: number;
  dy: number;
}

/**
 * The innermost loops over rows of a picture. The rows lie in scratch memory, each with room for `SPARE` numbers on either side; it is
 * shared, so nothing may be left in it from one operation to the next (`scratchTaken` tells), and an operation asks for its rows once,
 * before it fills them. Whole blocks are written, so that a row's spare places after its end hold nothing of use. WebAssembly SIMD where the machine has it (see scripts/build-row-kernel.mjs), else the same sums in TypeScript.
 */
export interface RowKernel {
  /** all rows, one after the other */
  readonly data: Float32Array;
  readonly stridePx: number;
  /** the numbers of a row, the spare ones before and after it included: the first pixel is at `SPARE` */
  readonly rows: readonly Float32Array[];
  /** `count` numbers of a picture, from its index `first` on, into a row from its place `at` on; up to seven places after them change too */
  read(row: number, picture: Pixels, first: number, count: number, at?: number): void;
  /** the same into the first rows, one for each of `firsts` */
  readRows(picture: Pixels, firsts: ArrayLike<number>, count: number, at: number): void;
  /** to[x] = Σ k_i (from[x − i] + from[x + i]) */
  across(from: number, to: number, taps: Taps): void;
  /** to[x] = Σ k_i (row −i [x] + row +i [x]) over nine rows, the topmost first */
  down(nine: readonly number[], to: number, taps: Taps): void;
  /** across and down for `count` rows that follow each other, from `count` + 8; `mid` is the first of as many to work in */
  smoothRows(from: number, mid: number, to: number, count: number, taps: Taps): void;
  /** to[x] = mean of four pixels of two rows; half as many come out */
  halve(a: number, b: number, to: number): void;
  /** to[x] = mean of four bytes along each of two rows of a picture, told by their first indices; a quarter of `count` come out */
  quarter(bytes: Uint8Array, firstA: number, firstB: number, count: number, to: number): void;
  /** to[x] = −det of the Hessian by central differences of three rows, the topmost first */
  saddles(three: readonly [number, number, number], to: number): void;
  /** half the difference of the pixels on either side, gx and gy, of three rows, the topmost first: gx², gx·gy and gy² into three others */
  slopes(three: readonly [number, number, number], to: readonly [number, number, number]): void;
  /** to[x] = share · the smaller eigenvalue of the symmetric matrix whose xx, xy and yy three rows hold */
  eigen(three: readonly [number, number, number], to: number, share: number): void;
  /** one byte for four pixels, a bit for each that is at least `least` and the largest of the nine about it (of equals the first one) */
  peaks(three: readonly [number, number, number], least: number): Uint8Array;
  /**
   * Σ w g gᵀ and Σ w g gᵀ d over a window: g the difference of the pixels on either side, d the place from the point, w = 1 − (|d|/radius)⁴
   * within the radius, 1 − (|d|/radius)⁸ where `flat`. [xx, xy, yy, x of the last, y of it]
   */
  structure(window: Window, radiusPx: number, flat: boolean): Float32Array;
}

/** The numbers of a picture, ready to be read in stretches: as floats, or as bytes. */
export interface Pixels {
  floats: Float32Array | null;
  bytes: Uint8Array | null;
  /** the bytes by fours, where they lie so: short stretches are copied three times as fast by them */
  words: Uint32Array | null;
}

export function pixelsOf(data: Float32Array | Uint8Array): Pixels {
  if (data instanceof Float32Array) return { floats: data, bytes: null, words: null };
  const words = data.byteOffset % 4 === 0 ? new Uint32Array(data.buffer, data.byteOffset, data.length >> 2) : null;
  return { floats: null, bytes: data, words };
}

/** Fewer numbers are copied faster one by one. */
const LONG = 96;
/** Rows of which many are read at a time. */
const SHORT_STRIDE = 128;

export const SPARE = 4;
const blocksOf = (widthPx: number) => (widthPx + 3) >> 2;
const strideOf = (widthPx: number) => 4 * blocksOf(widthPx) + 2 * SPARE;

interface RowExports extends WasmMemory {
  widen(from: number, fromStride: number, to: number, toStride: number, count: number, rows: number): void;
  across(from: number, to: number, count: number, ...taps: Taps): void;
  down(a4: number, a3: number, a2: number, a1: number, m: number, b1: number, b2: number, b3: number, b4: number, to: number, count: number, ...taps: Taps): void;
  smoothRows(from: number, mid: number, to: number, stride: number, height: number, count: number, ...taps: Taps): void;
  halve(a: number, b: number, to: number, count: number): void;
  quarter(a: number, b: number, to: number, count: number): void;
  saddles(a: number, b: number, c: number, to: number, count: number): void;
  peaks(a: number, b: number, c: number, to: number, count: number, least: number): void;
  slopes(a: number, b: number, c: number, xx: number, xy: number, yy: number, count: number): void;
  eigen(xx: number, xy: number, yy: number, to: number, count: number, share: number): void;
  structure(row: number, stride: number, height: number, count: number, dx0: number, dy: number, dx1: number, inverse: number, flat: number, out: number): void;
}

function every(list: ArrayLike<number>, test: (v: number) => boolean): boolean {
  for (let i = 0; i < list.length; i += 1) if (!test(list[i])) return false;
  return true;
}

function copy(from: Float32Array | Uint8Array, first: number, length: number, row: Float32Array, place: number): void {
  if (length > LONG) row.set(from.subarray(first, first + length), place);
  else for (let i = 0; i < length; i += 1) row[place + i] = from[first + i];
}

/** Bytes after the rows: five sums, then a byte for each block, then what is read of a picture of bytes: two long rows, or all the short ones. */
const SUMS_BYTES = 20;

function wasmRows(exports: RowExports, widthPx: number, count: number): RowKernel {
  const stride = strideOf(widthPx);
  const blocks = blocksOf(widthPx);
  const end = 4 * stride * count;
  // words want to lie on a multiple of four
  const staged = end + SUMS_BYTES + 4 * ((blocks + 3) >> 2);
  const stagedStride = stride + 2 * SPARE;
  reserve(exports.memory, staged + stagedStride * (stride <= SHORT_STRIDE ? Math.max(2, count) : 2));
  const { buffer } = exports.memory;
  const at = (row: number) => 4 * (row * stride + SPARE);
  const sums = new Float32Array(buffer, end, SUMS_BYTES / 4);
  const bits = new Uint8Array(buffer, end + SUMS_BYTES, blocks);
  const bytes = new Uint8Array(buffer, staged);
  const words = new Uint32Array(buffer, staged, bytes.length >> 2);
  const rows = Array.from({ length: count }, (_, i) => new Float32Array(buffer, 4 * i * stride, stride));
  const kernel: RowKernel = {
    data: new Float32Array(buffer, 0, stride * count),
    stridePx: stride,
    rows,
    read: (row, { floats, bytes: from }, first, length, place = SPARE) => {
      if (floats) return copy(floats, first, length, rows[row], place);
      bytes.set(from!.subarray(first, first + length));
      exports.widen(staged, 0, 4 * (row * stride + place), 0, (length + 7) >> 3, 1);
    },
    readRows: (picture, firsts, length, place) => {
      const shift = firsts[0] & 3;
      const whole = picture.words;
      const together = whole && stride <= SHORT_STRIDE && every(firsts, (first) => (first & 3) === shift && first + length + 4 <= 4 * whole.length);
      if (!together) {
        for (let i = 0; i < firsts.length; i += 1) kernel.read(i, picture, firsts[i], length, place);
        return;
      }
      const count = (shift + length + 3) >> 2;
      for (let i = 0; i < firsts.length; i += 1) {
        const from = firsts[i] >> 2;
        const to = (i * stagedStride) >> 2;
        for (let k = 0; k < count; k += 1) words[to + k] = whole[from + k];
      }
      exports.widen(staged + shift, stagedStride, 4 * place, 4 * stride, (length + 7) >> 3, firsts.length);
    },
    across: (from, to, taps) => exports.across(at(from), at(to), blocks, ...taps),
    down: (n, to, taps) => exports.down(at(n[0]), at(n[1]), at(n[2]), at(n[3]), at(n[4]), at(n[5]), at(n[6]), at(n[7]), at(n[8]), at(to), blocks, ...taps),
    smoothRows: (from, mid, to, height, taps) => exports.smoothRows(at(from), at(mid), at(to), 4 * stride, height, blocks, ...taps),
    halve: (a, b, to) => exports.halve(at(a), at(b), at(to), (blocks + 1) >> 1),
    quarter: (from, firstA, firstB, length, to) => {
      bytes.set(from.subarray(firstA, firstA + length));
      bytes.set(from.subarray(firstB, firstB + length), stagedStride);
      exports.quarter(staged, staged + stagedStride, at(to), (length + 15) >> 4);
    },
    slopes: ([a, b, c], [xx, xy, yy]) => exports.slopes(at(a), at(b), at(c), at(xx), at(xy), at(yy), blocks),
    eigen: ([xx, xy, yy], to, share) => exports.eigen(at(xx), at(xy), at(yy), at(to), blocks, share),
    saddles: ([a, b, c], to) => exports.saddles(at(a), at(b), at(c), at(to), blocks),
    peaks: ([a, b, c], least) => {
      exports.peaks(at(a), at(b), at(c), bits.byteOffset, blocks, least);
      return bits;
    },
    structure: (w, radiusPx, flat) => {
      // the last block of four may reach beyond the window: what lies there weighs nothing
      exports.structure(at(w.row) + 4 * w.x, 4 * stride, w.heightPx, blocksOf(w.widthPx), w.dx, w.dy, w.dx + w.widthPx - 0.75, 1 / (radiusPx * radiusPx), flat ? 1 : 0, sums.byteOffset);
      return sums;
    },
  };
  return kernel;
}

/** The plain loops: the reference, and the answer where there is no SIMD. */
export function plainRows(widthPx: number, count: number): RowKernel {
  const stride = strideOf(widthPx);
  const data = new Float32Array(stride * count);
  const rows = Array.from({ length: count }, (_, i) => data.subarray(i * stride, (i + 1) * stride));
  const end = SPARE + 4 * blocksOf(widthPx);
  const bits = new Uint8Array(blocksOf(widthPx));
  const sums = new Float32Array(SUMS_BYTES / 4);
  const kernel: RowKernel = {
    data,
    stridePx: stride,
    rows,
    read: (row, { floats, bytes }, first, length, place = SPARE) => copy(floats ?? bytes!, first, length, rows[row], place),
    readRows: (picture, firsts, length, place) => {
      for (let i = 0; i < firsts.length; i += 1) kernel.read(i, picture, firsts[i], length, place);
    },
    across(from, to, [k0, k1, k2, k3, k4]) {
      const [r, out] = [rows[from], rows[to]];
      for (let x = SPARE; x < end; x += 1) out[x] = k0 * r[x] + k1 * (r[x - 1] + r[x + 1]) + k2 * (r[x - 2] + r[x + 2]) + k3 * (r[x - 3] + r[x + 3]) + k4 * (r[x - 4] + r[x + 4]);
    },
    down(nine, to, [k0, k1, k2, k3, k4]) {
      const [a4, a3, a2, a1, m, b1, b2, b3, b4] = nine.map((i) => rows[i]);
      const out = rows[to];
      for (let x = SPARE; x < end; x += 1) out[x] = k0 * m[x] + k1 * (a1[x] + b1[x]) + k2 * (a2[x] + b2[x]) + k3 * (a3[x] + b3[x]) + k4 * (a4[x] + b4[x]);
    },
    smoothRows(from, mid, to, height, taps) {
      for (let y = 0; y < height + 8; y += 1) kernel.across(from + y, mid + y, taps);
      for (let y = 0; y < height; y += 1) {
        kernel.down(
          Array.from({ length: 9 }, (_, i) => mid + y + i),
          to + y,
          taps,
        );
      }
    },
    halve(a, b, to) {
      const [upper, lower, out] = [rows[a], rows[b], rows[to]];
      for (let x = 0; x < widthPx >> 1; x += 1) {
        const i = SPARE + 2 * x;
        out[SPARE + x] = (upper[i] + upper[i + 1] + lower[i] + lower[i + 1]) / 4;
      }
    },
    quarter(from, firstA, firstB, length, to) {
      const out = rows[to];
      for (let x = 0; x < length >> 2; x += 1) {
        let sum = 0;
        for (let i = 4 * x; i < 4 * x + 4; i += 1) sum += from[firstA + i] + from[firstB + i];
        out[SPARE + x] = sum / 8;
      }
    },
    saddles(three, to) {
      const [a, b, c] = three.map((i) => rows[i]);
      const out = rows[to];
      for (let x = SPARE; x < end; x += 1) {
        const xy = (c[x + 1] - a[x + 1] - c[x - 1] + a[x - 1]) / 4;
        out[x] = xy * xy - (b[x - 1] + b[x + 1] - 2 * b[x]) * (a[x] + c[x] - 2 * b[x]);
      }
    },
    slopes(three, to) {
      const [a, b, c] = three.map((i) => rows[i]);
      const [xx, xy, yy] = to.map((i) => rows[i]);
      for (let x = SPARE; x < end; x += 1) {
        const gx = (b[x + 1] - b[x - 1]) / 2;
        const gy = (c[x] - a[x]) / 2;
        xx[x] = gx * gx;
        xy[x] = gx * gy;
        yy[x] = gy * gy;
      }
    },
    eigen(three, to, share) {
      const [xx, xy, yy] = three.map((i) => rows[i]);
      const out = rows[to];
      for (let x = SPARE; x < end; x += 1) {
        const d = (xx[x] - yy[x]) / 2;
        out[x] = share * ((xx[x] + yy[x]) / 2 - Math.sqrt(d * d + xy[x] * xy[x]));
      }
    },
    peaks(three, least) {
      const [a, b, c] = three.map((i) => rows[i]);
      bits.fill(0);
      for (let x = SPARE; x < end; x += 1) {
        const v = b[x];
        if (!(v >= least && v > b[x - 1] && v >= b[x + 1] && v > a[x] && v >= c[x])) continue;
        if (v > a[x - 1] && v > a[x + 1] && v >= c[x - 1] && v >= c[x + 1]) bits[(x - SPARE) >> 2] |= 1 << ((x - SPARE) & 3);
      }
      return bits;
    },
    structure(w, radiusPx, flat) {
      let [xx, xy, yy, ox, oy] = [0, 0, 0, 0, 0];
      for (let y = 0; y < w.heightPx; y += 1) {
        const dy = w.dy + y;
        for (let x = 0; x < w.widthPx; x += 1) {
          const dx = w.dx + x;
          const q = (dx * dx + dy * dy) / (radiusPx * radiusPx);
          if (q >= 1) continue;
          const weight = flat ? 1 - q ** 4 : 1 - q * q;
          const i = (w.row + y) * stride + SPARE + w.x + x;
          const gx = data[i + 1] - data[i - 1];
          const gy = data[i + stride] - data[i - stride];
          xx += weight * gx * gx;
          xy += weight * gx * gy;
          yy += weight * gy * gy;
          ox += weight * gx * (gx * dx + gy * dy);
          oy += weight * gy * (gx * dx + gy * dy);
        }
      }
      sums.set([xx, xy, yy, ox, oy]);
      return sums;
    },
  };
  return kernel;
}

let kernelExports: RowExports | null | undefined;
const kernels = new Map<number, RowKernel>();
let takes = 0;

/** How often the scratch memory was asked for: what an operation left there is its own only until this goes on. */
export const scratchTaken = (): number => takes;

/** The fastest kernel that this machine has, over `count` rows of so many pixels; its rows hold what the last operation left. */
export function rowKernel(widthPx: number, count: number): RowKernel {
  takes += 1;
  kernelExports ??= wasmExports<RowExports>(ROW_KERNEL_HEX);
  const key = widthPx * 1024 + count;
  const known = kernels.get(key);
  if (known) return known;
  const before = kernelExports?.memory.buffer;
  const kernel = kernelExports ? wasmRows(kernelExports, widthPx, count) : plainRows(widthPx, count);
  // memory that grew leaves the older views behind, and few sizes are in use at a time
  if (kernelExports?.memory.buffer !== before || kernels.size > 16) kernels.clear();
  kernels.set(key, kernel);
  return kernel;
}
