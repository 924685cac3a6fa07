import { smooth, type GrayImage } from '../picture';
import { cornersOrTexture } from '../track';
import { compareInto, comparisonsOf, reduced, spreadOut, type Described } from './binary-features';

/** What of a picture is needed to place it among others of its walk; the picture itself can be let go of. */
export interface WalkFeatures extends Described {
  /** of the picture that was given */
  widthPx: number;
  heightPx: number;
  /** px of the given picture, corner of its first pixel at nought */
  x: Float64Array;
  y: Float64Array;
  /** px of the given picture to one px of the size at which it was found */
  scale: Float32Array;
  /** grey levels round each at that size, AROUND_PX × AROUND_PX, slightly smoothed: what its place is measured by */
  around: Uint8Array;
}

/** Side of what is kept round a feature, px; its middle pixel is the feature. */
export const AROUND_PX = 35;
const HALF = (AROUND_PX - 1) / 2;
export const WALK_WORDS = 8;
const REACH_PX = 15;
const TESTS = comparisonsOf(WALK_WORDS, REACH_PX, 31);
/** Features are looked for at these sizes, px of the long side, and so many at each: what is near in one picture is far in another. */
const SIZES = [
  { longSidePx: 1600, most: 700 },
  { longSidePx: 1130, most: 400 },
  { longSidePx: 800, most: 300 },
  { longSidePx: 566, most: 200 },
];
const APART_PX = 8;
const RASTER = { columns: 18, rows: 12 };
/** As in a pyramid: a part of a pixel must change what is compared smoothly. */
const BLUR_PX = 0.8;

/** Corners at several sizes, well spread, each with 256 comparisons and its surroundings. A picture smaller than a size is not blown up. */
export function walkFeatures(image: GrayImage): WalkFeatures {
  const found: { x: number; y: number; scale: number; bits: Uint32Array; around: Uint8Array }[] = [];
  const longSidePx = Math.max(image.widthPx, image.heightPx);
  const sizes = SIZES.filter((s) => s.longSidePx <= longSidePx);
  for (const [n, { longSidePx: wanted, most }] of (sizes.length > 0 ? sizes : [{ longSidePx, most: SIZES[0].most }]).entries()) {
    const { image: small, factor } = reduced(image, wanted);
    const { widthPx: w, heightPx: h } = small;
    const compared = smooth(smooth(small, 1.5), 1.5).data;
    const looked = smooth(small, BLUR_PX).data;
    const inside = cornersOrTexture(small, { apartPx: APART_PX }).filter((c) => c.x > HALF + 1 && c.y > HALF + 1 && c.x < w - HALF - 1 && c.y < h - HALF - 1);
    // the largest size of a small picture has what the ones above it would have had
    const room = n === 0 ? SIZES[0].most : most;
    for (const c of spreadOut(inside, w, h, RASTER, room)) {
      const [px, py] = [Math.floor(c.x), Math.floor(c.y)];
      const bits = new Uint32Array(WALK_WORDS);
      compareInto(TESTS, compared, w, py * w + px, bits, 0);
      const around = new Uint8Array(AROUND_PX * AROUND_PX);
      for (let v = 0; v < AROUND_PX; v += 1) for (let u = 0; u < AROUND_PX; u += 1) around[v * AROUND_PX + u] = Math.round(looked[(py + v - HALF) * w + px + u - HALF]);
      found.push({ x: (px + 0.5) * factor, y: (py + 0.5) * factor, scale: factor, bits, around });
    }
  }
  const out: WalkFeatures = {
    widthPx: image.widthPx,
    heightPx: image.heightPx,
    count: found.length,
    x: Float64Array.from(found, (f) => f.x),
    y: Float64Array.from(found, (f) => f.y),
    scale: Float32Array.from(found, (f) => f.scale),
    bits: new Uint32Array(WALK_WORDS * found.length),
    around: new Uint8Array(AROUND_PX * AROUND_PX * found.length),
  };
  found.forEach((f, k) => {
    out.bits.set(f.bits, WALK_WORDS * k);
    out.around.set(f.around, AROUND_PX * AROUND_PX * k);
  });
  return out;
}
