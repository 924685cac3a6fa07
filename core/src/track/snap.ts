import { sampleAt, smooth, type GrayImage } from '../picture';

export interface SnappedCentre {
  xPx: number;
  yPx: number;
  /** how alike the picture is to itself turned by half a turn about it, −1…1 */
  symmetry: number;
}

/** Alike enough to be a mark: a wall's grain reaches about 0.6 by chance. */
const LEAST_SYMMETRY = 0.8;
/** The steps that end at a sixteenth of a pixel, and how far about the place before. */
const FINE = [
  [0.25, 1],
  [0.0625, 0.25],
] as const;
const SHARES = [1, 0.7, 0.5];
/** A window of less contrast (sigma in grey levels) shows no mark. */
const LEAST_CONTRAST = 4;

/**
 * The centre of a mark near a place that was pointed out. Cross, disc, quartered disc and ball all look the same when turned by half a turn about
 * their centre, so that the centre is where the picture is most like itself turned so.
 * Model    s(c) = Σ (I(c + d) − m)(I(c − d) − m) / Σ (I(c + d) − m)² over a round window; its highest place, then a parabola through the values beside it
 * @param withinPx how far the finger may be off
 * @param halfPx of the window: at least the mark, and something round it
 * @returns null where nothing near is a mark
 */
export function snapToCentre(image: GrayImage, xPx: number, yPx: number, withinPx: number, halfPx: number): SnappedCentre | null {
  const reach = Math.ceil(withinPx + halfPx + 6);
  const x0 = Math.max(0, Math.floor(xPx) - reach);
  const y0 = Math.max(0, Math.floor(yPx) - reach);
  const w = Math.min(image.widthPx, Math.floor(xPx) + reach + 1) - x0;
  const h = Math.min(image.heightPx, Math.floor(yPx) + reach + 1) - y0;
  if (w < 2 * halfPx + 4 || h < 2 * halfPx + 4) return null;
  const data = new Float32Array(w * h);
  for (let j = 0; j < h; j += 1) for (let i = 0; i < w; i += 1) data[j * w + i] = image.data[(y0 + j) * image.widthPx + x0 + i];
  const near = smooth({ widthPx: w, heightPx: h, data }, 0.8);
  const search = (from: { x: number; y: number }, half: number, steps: readonly (readonly [number, number])[]) => {
    let best = { ...from, s: -Infinity };
    for (const [step, within] of steps) {
      const { x, y } = best;
      for (let dy = -within; dy <= within + 1e-9; dy += step)
        for (let dx = -within; dx <= within + 1e-9; dx += step) {
          const s = symmetryAt(near, x + dx - x0, y + dy - y0, half);
          if (s > best.s) best = { x: x + dx, y: y + dy, s };
        }
    }
    return best;
  };
  // a mark that is far off or seen at a slant fills little of the window: then with less of it; not at once, since a part of a mark is like itself too
  for (const share of SHARES) {
    const best = search({ x: xPx, y: yPx }, Math.max(4, Math.round(share * halfPx)), [[1, withinPx], ...FINE]);
    if (best.s >= LEAST_SYMMETRY) return { xPx: best.x, yPx: best.y, symmetry: best.s };
  }
  return null;
}

function symmetryAt(image: GrayImage, x: number, y: number, half: number): number {
  if (x - half < 1 || y - half < 1 || x + half > image.widthPx - 1 || y + half > image.heightPx - 1) return -Infinity;
  let [n, sum, square, product] = [0, 0, 0, 0];
  for (let v = 0; v <= half; v += 1)
    for (let u = v === 0 ? 1 : -half; u <= half; u += 1) {
      if (u * u + v * v > half * half) continue;
      const a = sampleAt(image, x + u, y + v);
      const b = sampleAt(image, x - u, y - v);
      n += 2;
      sum += a + b;
      square += a * a + b * b;
      product += 2 * a * b;
    }
  const mean = sum / n;
  const spread = square / n - mean * mean;
  return spread > LEAST_CONTRAST ** 2 ? (product / n - mean * mean) / spread : -Infinity;
}
