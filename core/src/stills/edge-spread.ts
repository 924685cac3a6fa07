import type { BlurZone } from '../grid';
import { median, quantile } from '../math';
import { smooth, type GrayImage } from '../picture';

/** Side of a piece that is looked at closely, px. */
const PATCH_PX = 96;
/** Pieces in each ninth of the frame: those with the strongest edges. */
const PATCHES_A_ZONE = 5;
/** The blurs of a piece mirror its border. */
const MARGIN_PX = 9;
/** Sigma of the first blur, against noise, and of each of the two that follow it, px. */
const FIRST_PX = 1;
const AGAIN_PX = 1.5;
/** An edge counts when its slope stands so far above the noise's, and above this many grey levels a pixel. */
const ABOVE_NOISE = 5;
const LEAST_SLOPE = 2.5;
/** Fewer edges of one direction than this in a ninth say nothing. */
const LEAST_EDGES = 12;
/** of the central difference, px²: a box two pixels wide */
const OF_THE_DIFFERENCE = 1 / 3;
/** Edges nearer than this to the axis count for it: tan 30°. */
const ALONG = 0.577;
const SHARP_SHARE = 0.4;
const SIDE = 3;

/**
 * Blur by ninths of the frame of a picture of anything: sigma of the edge spread, px, of what is sharpest in each. Null where a ninth
 * holds no edge to judge by. `downPx` is of edges that run to the right, `acrossPx` of those that run down.
 * Model    a step blurred by sigma has slope C / (sigma √(2π)). The picture is blurred by s₁ against noise, then again by s₂: the slope falls
 *          by R = √((sigma² + s₁² + s₂²) / (sigma² + s₁²)), so that sigma² = s₂² / (R² − 1) − s₁²; what the difference itself smooths is
 *          taken off. Of all edges the fortieth in a hundred counts: depth of field leaves some soft on purpose.
 * Source   Zhuo & Sim, Defocus map estimation from a single image, Pattern Recognition 44 (2011), eq. 3 to 7.
 */
export function edgeSpreadByZone(image: GrayImage): BlurZone[] {
  const { widthPx: w, heightPx: h } = image;
  const places = liveliest(image);
  return Array.from({ length: SIDE * SIDE }, (_, zone) => {
    const down: number[] = [];
    const across: number[] = [];
    for (const p of places.filter((q) => q.zone === zone)) spreadsIn(image, Math.min(p.x, w - PATCH_PX), Math.min(p.y, h - PATCH_PX), down, across);
    return { downPx: sharpestOf(down), acrossPx: sharpestOf(across) };
  });
}

function sharpestOf(spreads: number[]): number | null {
  if (spreads.length < LEAST_EDGES) return null;
  return quantile(spreads, SHARP_SHARE);
}

/** The pieces of each ninth with the most slope, from every fourth row. */
function liveliest({ widthPx: w, heightPx: h, data }: GrayImage): { zone: number; x: number; y: number }[] {
  if (w < 2 * PATCH_PX || h < 2 * PATCH_PX) return [];
  const byZone = new Map<number, { zone: number; x: number; y: number; slope: number }[]>();
  for (let y = 0; y + PATCH_PX <= h; y += PATCH_PX)
    for (let x = 0; x + PATCH_PX <= w; x += PATCH_PX) {
      let slope = 0;
      for (let q = y + 2; q < y + PATCH_PX - 2; q += 4)
        for (let p = x + 2; p < x + PATCH_PX - 2; p += 2) {
          const at = q * w + p;
          const gx = data[at + 2] - data[at - 2];
          const gy = data[at + 2 * w] - data[at - 2 * w];
          // the fourth power: a few clear edges and not much faint grain
          slope += (gx * gx + gy * gy) ** 2;
        }
      const zone = SIDE * Math.floor((SIDE * (y + PATCH_PX / 2)) / h) + Math.floor((SIDE * (x + PATCH_PX / 2)) / w);
      byZone.set(zone, [...(byZone.get(zone) ?? []), { zone, x, y, slope }]);
    }
  return [...byZone.values()].flatMap((list) => list.sort((a, b) => b.slope - a.slope).slice(0, PATCHES_A_ZONE));
}

function spreadsIn(image: GrayImage, x0: number, y0: number, down: number[], across: number[]): void {
  const n = PATCH_PX;
  const piece: GrayImage = { widthPx: n, heightPx: n, data: new Float32Array(n * n) };
  for (let y = 0; y < n; y += 1) piece.data.set(image.data.subarray((y0 + y) * image.widthPx + x0, (y0 + y) * image.widthPx + x0 + n), y * n);
  const once = smooth(piece, FIRST_PX);
  const again = smooth(smooth(once, AGAIN_PX), AGAIN_PX).data;
  const { data } = once;
  const size = new Float32Array(n * n);
  const sample: number[] = [];
  for (let y = 1; y < n - 1; y += 1)
    for (let x = 1; x < n - 1; x += 1) {
      const i = y * n + x;
      size[i] = Math.hypot(data[i + 1] - data[i - 1], data[i + n] - data[i - n]) / 2;
      // noise from the second difference across the diagonal: a plain edge hardly shows in it
      if ((x + y) % 3 === 0) sample.push(Math.abs(piece.data[i - n - 1] - piece.data[i - 1] - piece.data[i - n] + piece.data[i]) / 2);
    }
  // a slope of noise of sigma s smoothed by s₁: s / (s₁² √(8π)); the median of its size is 0.6745 s
  const limit = Math.max(LEAST_SLOPE, (ABOVE_NOISE * median(sample)) / 0.6745 / (FIRST_PX * FIRST_PX * Math.sqrt(8 * Math.PI)));
  for (let y = MARGIN_PX; y < n - MARGIN_PX; y += 1)
    for (let x = MARGIN_PX; x < n - MARGIN_PX; x += 1) {
      const i = y * n + x;
      const g = size[i];
      if (g < limit) continue;
      const gx = Math.abs(data[i + 1] - data[i - 1]);
      const gy = Math.abs(data[i + n] - data[i - n]);
      // only near the axes, so that a shake along one of them is told from the other
      const step = gy < ALONG * gx ? 1 : gx < ALONG * gy ? n : 0;
      if (step === 0 || g < size[i - step] || g <= size[i + step]) continue;
      const later = Math.abs(again[i + step] - again[i - step]) / 2;
      const first = Math.abs(data[i + step] - data[i - step]) / 2;
      const ratio = first / Math.max(later, 1e-6);
      if (ratio < 1.02) continue;
      const variance = (2 * AGAIN_PX * AGAIN_PX) / (ratio * ratio - 1) - FIRST_PX * FIRST_PX - OF_THE_DIFFERENCE;
      (step === 1 ? across : down).push(Math.sqrt(Math.max(0.04, variance)));
    }
}
