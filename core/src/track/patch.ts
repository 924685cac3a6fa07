import type { Pyramid } from './pyramid';

/** How a patch may change from frame to frame besides moving. */
export type PatchChange = 'translation' | 'similarity' | 'affine';
const COLUMNS: Record<PatchChange, number> = { translation: 2, similarity: 4, affine: 6 };

/** A feature as it looked when it was first seen: what every later frame is compared with, so that errors do not add up. */
export interface Patch {
  halfPx: number;
  /** grey levels less their mean, row by row */
  template: Float32Array;
  /** root of the sum of their squares */
  contrast: number;
  /** how it changes where it is a little less sharp (its Laplacian), with brightness and contrast taken out of it */
  softer: Float32Array;
  /** sum of its squares; 0 where it would look the same */
  softens: number;
  /** one after the other: the derivative of the template by each unknown, with brightness, contrast and sharpness taken out of it */
  columns: Float32Array;
  /** (JᵀJ)⁻¹ */
  inverse: Float64Array;
  unknowns: number;
  /** what is seen softer than by this is compared with the next look, px²; Infinity: there is none */
  turnsPx2: number;
  /** the same, softened more; made when it is asked for, which most never are */
  next: () => Patch | null;
}

/** Where a patch lies in a frame: (x + a u + b v, y + c u + d v) for a place (u, v) of it. */
export interface Warp {
  x: number;
  y: number;
  a: number;
  b: number;
  c: number;
  d: number;
}
export interface PatchMatch {
  warp: Warp;
  /** normalised cross-correlation with the first look, −1…1 */
  correlation: number;
  /** of one axis of the place by the noise that the comparison left, px */
  sigmaPx: number;
  /** how much softer it is seen than the look it was compared with: variance of a blur, px²; negative: sharper */
  softerPx2: number;
}

const ROUNDS = 12;
const SETTLED_PX = 0.003;
/** Below this share of its contrast a patch looks the same however sharp it is. */
const SOFTENS = 1e-4;
/** A patch of less contrast (sigma in grey levels) is none. */
const LEAST_CONTRAST = 1.2;

/** Bilinear; false where a pixel is missing. */
function sampleInto({ widthPx: w, heightPx: h, data }: Pyramid['levels'][number], at: Warp, half: number, out: Float32Array): boolean {
  const reach = half * (Math.max(Math.abs(at.a) + Math.abs(at.b), Math.abs(at.c) + Math.abs(at.d)) + 0.01) + 1;
  if (!(at.x - reach >= 0.5 && at.y - reach >= 0.5 && at.x + reach <= w - 0.5 && at.y + reach <= h - 0.5)) return false;
  for (let v = -half, o = 0; v <= half; v += 1) {
    let fx = at.x - 0.5 + at.b * v - at.a * half;
    let fy = at.y - 0.5 + at.d * v - at.c * half;
    for (let u = -half; u <= half; u += 1, o += 1, fx += at.a, fy += at.c) {
      const x0 = fx | 0;
      const y0 = fy | 0;
      const ax = fx - x0;
      const ay = fy - y0;
      const i = y0 * w + x0;
      const top = data[i] + ax * (data[i + 1] - data[i]);
      const bottom = data[i + w] + ax * (data[i + w + 1] - data[i + w]);
      out[o] = top + ay * (bottom - top);
    }
  }
  return true;
}

/** Of the softer looks, each after the one before: variance of the blur, px². Between two of them the first derivative serves. */
const SOFT_PX2 = [0, 1, 2.6, 5.8, 11.6];

/** The patch about a place; null too near the border, or where it shows nothing that holds it in two directions. */
export function patchAt(pyramid: Pyramid, xPx: number, yPx: number, halfPx: number, change: PatchChange): Patch | null {
  return patchOf(halfPx, change, 0, (reach) => {
    const raster = new Float32Array((2 * reach + 1) ** 2);
    return sampleInto(pyramid.levels[0], { x: xPx, y: yPx, a: 1, b: 0, c: 0, d: 1 }, reach, raster) ? raster : null;
  });
}

/**
 * @param step among the softer looks; 0: as it was seen
 * @param around what is seen about the place, so many pixels each way; null where that is not all in the picture
 */
function patchOf(halfPx: number, change: PatchChange, step: number, around: (reach: number) => Float32Array | null): Patch | null {
  const side = 2 * halfPx + 1;
  const sigma = Math.sqrt(SOFT_PX2[step]);
  const margin = Math.ceil(3 * sigma);
  const seenAround = around(halfPx + 1 + margin);
  if (!seenAround) return null;
  const wide = softened(seenAround, side + 2 + 2 * margin, margin, sigma);
  const n = side * side;
  const template = new Float32Array(n);
  const softer = new Float32Array(n);
  const m = COLUMNS[change];
  const columns = new Float32Array(m * n);
  let mean = 0;
  for (let v = -halfPx, o = 0; v <= halfPx; v += 1)
    for (let u = -halfPx; u <= halfPx; u += 1, o += 1) {
      const i = (v + halfPx + 1) * (side + 2) + u + halfPx + 1;
      const gx = (wide[i + 1] - wide[i - 1]) / 2;
      const gy = (wide[i + side + 2] - wide[i - side - 2]) / 2;
      template[o] = wide[i];
      softer[o] = wide[i + 1] + wide[i - 1] + wide[i + side + 2] + wide[i - side - 2] - 4 * wide[i];
      mean += wide[i];
      columns[o] = gx;
      columns[n + o] = gy;
      if (change === 'similarity') {
        columns[2 * n + o] = u * gx + v * gy;
        columns[3 * n + o] = u * gy - v * gx;
      } else if (change === 'affine') {
        columns[2 * n + o] = u * gx;
        columns[3 * n + o] = v * gx;
        columns[4 * n + o] = u * gy;
        columns[5 * n + o] = v * gy;
      }
    }
  mean /= n;
  let square = 0;
  for (let o = 0; o < n; o += 1) {
    template[o] -= mean;
    square += template[o] * template[o];
  }
  if (square < n * LEAST_CONTRAST ** 2) return null;
  takeOut(softer, 0, template, square);
  let softens = 0;
  for (let o = 0; o < n; o += 1) softens += softer[o] * softer[o];
  if (softens < SOFTENS * square) softens = 0;
  for (let c = 0; c < m; c += 1) {
    takeOut(columns, c * n, template, square);
    if (softens === 0) continue;
    let along = 0;
    for (let o = 0; o < n; o += 1) along += columns[c * n + o] * softer[o];
    for (let o = 0; o < n; o += 1) columns[c * n + o] -= (along / softens) * softer[o];
  }
  const normal = new Float64Array(m * m);
  for (let r = 0; r < m; r += 1)
    for (let c = r; c < m; c += 1) {
      let sum = 0;
      for (let o = 0; o < n; o += 1) sum += columns[r * n + o] * columns[c * n + o];
      normal[r * m + c] = normal[c * m + r] = sum;
    }
  const inverse = invert(normal, m);
  if (!inverse) return null;
  let after: Patch | null | undefined;
  // the frame is gone when a softer look is asked for: what is about the place is kept
  const farthest = halfPx + 1 + Math.ceil(3 * Math.sqrt(SOFT_PX2[SOFT_PX2.length - 1]));
  const kept = step === 0 ? around(farthest) : null;
  const cut = kept ? (reach: number) => inner(kept, farthest, reach) : around;
  const next = () => {
    if (after === undefined) after = patchOf(halfPx, change, step + 1, cut);
    return after;
  };
  const isLast = softens === 0 || step + 1 === SOFT_PX2.length || (step === 0 && !kept);
  const turnsPx2 = isLast ? Infinity : (SOFT_PX2[step + 1] - SOFT_PX2[step]) / 2;
  return { halfPx, template, contrast: Math.sqrt(square), softer, softens, columns, inverse, unknowns: m, turnsPx2, next };
}

/** The middle of a square raster. */
function inner(raster: Float32Array, half: number, reach: number): Float32Array {
  const side = 2 * reach + 1;
  const out = new Float32Array(side * side);
  for (let v = 0; v < side; v += 1) {
    const from = (v + half - reach) * (2 * half + 1) + half - reach;
    out.set(raster.subarray(from, from + side), v * side);
  }
  return out;
}

/** A square raster after a Gaussian blur, without the margin that this takes. */
function softened(raster: Float32Array, side: number, margin: number, sigma: number): Float32Array {
  if (margin === 0) return raster;
  const taps = Float32Array.from({ length: 2 * margin + 1 }, (_, i) => Math.exp(-((i - margin) ** 2) / (2 * sigma * sigma)));
  const sum = taps.reduce((s, v) => s + v, 0);
  const small = side - 2 * margin;
  const across = new Float32Array(side * small);
  const out = new Float32Array(small * small);
  for (let v = 0; v < side; v += 1)
    for (let u = 0; u < small; u += 1) {
      let s = 0;
      for (let k = 0; k < taps.length; k += 1) s += taps[k] * raster[v * side + u + k];
      across[v * small + u] = s / sum;
    }
  for (let v = 0; v < small; v += 1)
    for (let u = 0; u < small; u += 1) {
      let s = 0;
      for (let k = 0; k < taps.length; k += 1) s += taps[k] * across[(v + k) * small + u];
      out[v * small + u] = s / sum;
    }
  return out;
}

/** Takes the mean, and what goes with the template, out of a list that begins at `from`. */
function takeOut(list: Float32Array, from: number, template: Float32Array, square: number): void {
  const n = template.length;
  let [sum, along] = [0, 0];
  for (let o = 0; o < n; o += 1) {
    sum += list[from + o];
    along += list[from + o] * template[o];
  }
  for (let o = 0; o < n; o += 1) list[from + o] -= sum / n + (along / square) * template[o];
}

/** Of a symmetric positive matrix, by Gauss–Jordan with its diagonal scaled to ones; null where it is near singular. */
function invert(a: Float64Array, n: number): Float64Array | null {
  const scale = Float64Array.from({ length: n }, (_, i) => 1 / Math.sqrt(a[i * n + i]));
  if (!scale.every(Number.isFinite)) return null;
  const m = a.map((v, k) => v * scale[Math.floor(k / n)] * scale[k % n]);
  const out = new Float64Array(n * n);
  for (let i = 0; i < n; i += 1) out[i * n + i] = 1;
  for (let p = 0; p < n; p += 1) {
    const pivot = m[p * n + p];
    if (!(pivot > 1e-4)) return null;
    for (let c = 0; c < n; c += 1) {
      m[p * n + c] /= pivot;
      out[p * n + c] /= pivot;
    }
    for (let r = 0; r < n; r += 1) {
      const f = m[r * n + p];
      if (r === p || f === 0) continue;
      for (let c = 0; c < n; c += 1) {
        m[r * n + c] -= f * m[p * n + c];
        out[r * n + c] -= f * out[p * n + c];
      }
    }
  }
  return out.map((v, k) => v * scale[Math.floor(k / n)] * scale[k % n]);
}

let seen = new Float32Array(0);
const right = new Float64Array(6);
const step = new Float64Array(6);

/** As matchPatch, with the look whose softness is nearest to what is seen. */
export function matchSoftened(patch: Patch, pyramid: Pyramid, start: Warp): PatchMatch | null {
  let match = matchPatch(patch, pyramid, start);
  while (match && match.softerPx2 >= patch.turnsPx2) {
    const look = patch.next();
    const softer = look && matchPatch(look, pyramid, match.warp);
    if (!softer || softer.correlation < match.correlation) break;
    [patch, match] = [look, softer];
  }
  return match;
}

/**
 * The patch's place in a frame, from a start within a few pixels, whatever brightness and contrast it has there.
 * Model    seen(W(u)) = gain · template(u) + softness · ∇²template(u) + offset; the inverse compositional step on columns from which all three are
 *          projected out. Without the second one a lens that goes out of focus pulls a corner by half a pixel and more.
 * Source   Baker & Matthews, Lucas–Kanade 20 years on, IJCV 2004 (parts 1 and 3); Lewis 1995 for the normalised cross-correlation.
 * @returns null where it leaves the picture, or comes apart
 */
export function matchPatch(patch: Patch, pyramid: Pyramid, start: Warp): PatchMatch | null {
  const { halfPx, template, columns, inverse, unknowns: m } = patch;
  const n = template.length;
  if (seen.length < n) seen = new Float32Array(n);
  const level = pyramid.levels[0];
  let at = start;
  let settled = false;
  for (let round = 0; ; round += 1) {
    if (!sampleInto(level, at, halfPx, seen)) return null;
    let along = 0;
    for (let o = 0; o < n; o += 1) along += seen[o] * template[o];
    const gain = along / patch.contrast ** 2;
    if (!(gain > 0.02)) return null;
    if (settled || round === ROUNDS) return compared(patch, at, gain, settled);
    for (let c = 0; c < m; c += 2) twoProducts(columns, c * n, n, gain, c);
    for (let r = 0; r < m; r += 1) {
      let v = 0;
      for (let c = 0; c < m; c += 1) v += inverse[r * m + c] * right[c];
      step[r] = v;
    }
    const next = stepped(at, step, m);
    if (!next) return null;
    settled = Math.hypot(step[0], step[1]) < SETTLED_PX;
    at = next;
  }
}

/** Of two columns that follow each other, their products with what is seen over the gain, into `right`: a column alone waits for its own sum. */
function twoProducts(columns: Float32Array, first: number, n: number, gain: number, to: number): void {
  let one = 0,
    other = 0;
  for (let o = 0, p = first, q = first + n; o < n; o += 1, p += 1, q += 1) {
    const s = seen[o];
    one += columns[p] * s;
    other += columns[q] * s;
  }
  right[to] = one / gain;
  right[to + 1] = other / gain;
}

/** How alike what lies in `seen` is to the look, where it was found. */
function compared({ template, contrast, softer, softens, inverse, unknowns: m }: Patch, warp: Warp, gain: number, settled: boolean): PatchMatch {
  const n = template.length;
  let [sum, square, soft] = [0, 0, 0];
  for (let o = 0; o < n; o += 1) {
    sum += seen[o];
    square += seen[o] * seen[o];
    soft += seen[o] * softer[o];
  }
  const spread = square - (sum * sum) / n;
  const explained = (gain * contrast) ** 2 + (softens > 0 ? (soft * soft) / softens : 0);
  const noise = Math.max(0, spread - explained) / Math.max(1, n - m - 3);
  return {
    warp,
    correlation: spread > 0 ? Math.sqrt(explained / spread) : 0,
    // a search that did not settle is only as good as its last step
    sigmaPx: (Math.sqrt(noise * 0.5 * (inverse[0] + inverse[m + 1])) / gain) * (settled ? 1 : 4),
    // a blur of the variance s² adds half of s² times the Laplacian (the heat equation)
    softerPx2: softens > 0 ? (2 * soft) / softens / gain : 0,
  };
}

/** W ∘ (change by the step)⁻¹. Null where the patch would be turned over or blown up. */
function stepped(w: Warp, s: Float64Array, m: number): Warp | null {
  let [p, q, r, t] = [1, 0, 0, 1];
  if (m === 4) [p, q, r, t] = [1 + s[2], -s[3], s[3], 1 + s[2]];
  if (m === 6) [p, q, r, t] = [1 + s[2], s[3], s[4], 1 + s[5]];
  const det = p * t - q * r;
  if (!(det > 0.2 && det < 5)) return null;
  // the inverse of (u, v) ↦ (p u + q v + s0, r u + t v + s1)
  const [ip, iq, ir, it] = [t / det, -q / det, -r / det, p / det];
  const [ix, iy] = [-(ip * s[0] + iq * s[1]), -(ir * s[0] + it * s[1])];
  const a = w.a * ip + w.b * ir;
  const b = w.a * iq + w.b * it;
  const c = w.c * ip + w.d * ir;
  const d = w.c * iq + w.d * it;
  const size = a * d - b * c;
  if (!(size > 0.1 && size < 10)) return null;
  return { x: w.x + w.a * ix + w.b * iy, y: w.y + w.c * ix + w.d * iy, a, b, c, d };
}
