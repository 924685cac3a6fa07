import { smooth, type GrayImage } from '../picture';
import { cornersOrTexture } from '../track';
import { compareInto, comparisonsOf, reduced, spreadOut } from './binary-features';

/** Something in a picture that can be found again in another: where, what it looks like, and how light it is. */
export interface StillFeatures {
  count: number;
  /** shares of the picture's width and of its height, 0…1 */
  x: Float32Array;
  y: Float32Array;
  /** mean grey level round each, 0…255 */
  light: Uint8Array;
  /** four words of 32 comparisons for each */
  bits: Uint32Array;
}

/** Pictures are compared at about this size: finer things differ between two places anyway. */
const LONG_SIDE_PX = 800;
const MOST_FEATURES = 256;
const APART_PX = 9;
const REACH_PX = 15;
export const WORDS = 4;
const BYTES = 2 + 2 + 1 + 4 * WORDS;
const RASTER = { columns: 12, rows: 8 };

const TESTS = comparisonsOf(WORDS, REACH_PX, 20);

/** Corners spread over the frame, each with 128 comparisons of grey levels round it (binary-features.ts). */
export function stillFeatures(image: GrayImage): StillFeatures {
  const { image: small } = reduced(image, LONG_SIDE_PX);
  const { widthPx: w, heightPx: h } = small;
  const { data } = smooth(smooth(small, 1.5), 1.5);
  const inside = cornersOrTexture(small, { apartPx: APART_PX }).filter((c) => c.x > REACH_PX + 1 && c.y > REACH_PX + 1 && c.x < w - REACH_PX - 1 && c.y < h - REACH_PX - 1);
  const corners = spreadOut(inside, w, h, RASTER, MOST_FEATURES);
  const out: StillFeatures = {
    count: corners.length,
    x: Float32Array.from(corners, (c) => c.x / w),
    y: Float32Array.from(corners, (c) => c.y / h),
    light: new Uint8Array(corners.length),
    bits: new Uint32Array(WORDS * corners.length),
  };
  corners.forEach((c, k) => {
    const at = Math.floor(c.y) * w + Math.floor(c.x);
    compareInto(TESTS, data, w, at, out.bits, k);
    let sum = 0;
    for (let dy = -REACH_PX; dy <= REACH_PX; dy += 3) for (let dx = -REACH_PX; dx <= REACH_PX; dx += 3) sum += data[at + dy * w + dx];
    out.light[k] = Math.round(sum / (2 * Math.floor(REACH_PX / 3) + 1) ** 2);
  });
  return out;
}

/** As text, 21 bytes a feature in base 64, so that it travels with the picture's record: another phone compares without the picture. */
export function packFeatures(f: StillFeatures): string {
  const bytes = new Uint8Array(BYTES * f.count);
  const view = new DataView(bytes.buffer);
  for (let k = 0; k < f.count; k += 1) {
    view.setUint16(BYTES * k, Math.round(65535 * f.x[k]));
    view.setUint16(BYTES * k + 2, Math.round(65535 * f.y[k]));
    view.setUint8(BYTES * k + 4, f.light[k]);
    for (let i = 0; i < WORDS; i += 1) view.setUint32(BYTES * k + 5 + 4 * i, f.bits[WORDS * k + i]);
  }
  let text = '';
  for (const b of bytes) text += String.fromCharCode(b);
  return btoa(text);
}

export function unpackFeatures(packed: string): StillFeatures {
  const text = atob(packed);
  const count = Math.floor(text.length / BYTES);
  const view = new DataView(Uint8Array.from(text, (c) => c.charCodeAt(0)).buffer);
  const out: StillFeatures = { count, x: new Float32Array(count), y: new Float32Array(count), light: new Uint8Array(count), bits: new Uint32Array(WORDS * count) };
  for (let k = 0; k < count; k += 1) {
    out.x[k] = view.getUint16(BYTES * k) / 65535;
    out.y[k] = view.getUint16(BYTES * k + 2) / 65535;
    out.light[k] = view.getUint8(BYTES * k + 4);
    for (let i = 0; i < WORDS; i += 1) out.bits[WORDS * k + i] = view.getUint32(BYTES * k + 5 + 4 * i);
  }
  return out;
}
