import type { StMap } from './st-map';

/** Interleaved samples, row by row from the top; any depth, since they are only weighed together. */
export interface Raster<T extends Uint8Array | Uint8ClampedArray | Uint16Array | Float32Array> {
  widthPx: number;
  heightPx: number;
  channels: number;
  data: T;
}

/**
 * The picture that an ST map makes of another one, by bilinear interpolation. Where the map leads outside, or nowhere, samples are 0: an
 * alpha channel says so by itself.
 * @param source of the size that the map was made for, or scaled as a whole: the map is in shares of width and height
 * @throws RangeError never; places outside are 0
 */
export function resample<T extends Uint8Array | Uint8ClampedArray | Uint16Array | Float32Array>(source: Raster<T>, map: StMap, onRow?: (done: number, total: number) => void): Raster<T> {
  const { widthPx: sw, heightPx: sh, channels, data } = source;
  const { widthPx, heightPx, data: st } = map;
  const out = new (data.constructor as new (length: number) => T)(widthPx * heightPx * channels);
  const whole = !(data instanceof Float32Array) && !(data instanceof Uint8ClampedArray);
  const row = sw * channels;
  let at = 0;
  let to = 0;
  for (let y = 0; y < heightPx; y += 1) {
    if (onRow && y % 64 === 0) onRow(y, heightPx);
    for (let x = 0; x < widthPx; x += 1, at += 2, to += channels) {
      const fx = st[at] * sw - 0.5;
      const fy = (1 - st[at + 1]) * sh - 0.5;
      // half a pixel beyond the outermost centres still belongs to the picture
      if (!(fx >= -0.5 && fy >= -0.5 && fx <= sw - 0.5 && fy <= sh - 0.5)) continue;
      const cx = fx < 0 ? 0 : fx > sw - 1 ? sw - 1 : fx;
      const cy = fy < 0 ? 0 : fy > sh - 1 ? sh - 1 : fy;
      const x0 = cx === sw - 1 ? sw - 2 : Math.floor(cx);
      const y0 = cy === sh - 1 ? sh - 2 : Math.floor(cy);
      const ax = cx - x0;
      const ay = cy - y0;
      const i = y0 * row + x0 * channels;
      const w00 = (1 - ax) * (1 - ay),
        w10 = ax * (1 - ay),
        w01 = (1 - ax) * ay,
        w11 = ax * ay;
      for (let c = 0; c < channels; c += 1) {
        const v = w00 * data[i + c] + w10 * data[i + channels + c] + w01 * data[i + row + c] + w11 * data[i + row + channels + c];
        out[to + c] = whole ? v + 0.5 : v;
      }
    }
  }
  return { widthPx, heightPx, channels, data: out };
}
