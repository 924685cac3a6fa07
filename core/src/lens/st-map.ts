import { coefficientsOf, distortWith, undistorter } from './model';
import type { FrameLens } from './frame-effect';

/**
 * A map that says for each pixel of a new picture where in the old one its value lies: s to the right and t upwards, 0…1 from border to
 * border of the old picture, at the pixel's centre. Two numbers a pixel, row by row from the top.
 */
export interface StMap {
  widthPx: number;
  heightPx: number;
  data: Float32Array;
}

/** The undistorted picture's place about the recorded one, px beyond each border. */
export interface Overscan {
  left: number;
  right: number;
  top: number;
  bottom: number;
}

/** Whole pixels on each side, so that both pictures share their raster. */
export const wholeOverscan = (o: Overscan): Overscan => ({ left: Math.ceil(o.left - 1e-9), right: Math.ceil(o.right - 1e-9), top: Math.ceil(o.top - 1e-9), bottom: Math.ceil(o.bottom - 1e-9) });

/**
 * Map that undistorts: for each pixel of the undistorted picture (frame and overscan) its place in the recorded one.
 * One forward evaluation a pixel, without allocation.
 */
export function undistortMap(lens: FrameLens, overscan: Overscan): StMap {
  const o = wholeOverscan(overscan);
  const widthPx = lens.widthPx + o.left + o.right;
  const heightPx = lens.heightPx + o.top + o.bottom;
  const data = new Float32Array(2 * widthPx * heightPx);
  const p = coefficientsOf(lens.distortion);
  const { model } = lens.distortion;
  const out = new Float64Array(2);
  const [cx, cy] = lens.center;
  const toS = 1 / lens.widthPx,
    toT = 1 / lens.heightPx;
  let at = 0;
  for (let py = 0; py < heightPx; py += 1) {
    const y = (py + 0.5 - o.top - cy) / lens.fyPx;
    for (let px = 0; px < widthPx; px += 1) {
      distortWith(model, p, (px + 0.5 - o.left - cx) / lens.fxPx, y, out, null, null);
      data[at] = (cx + out[0] * lens.fxPx) * toS;
      data[at + 1] = 1 - (cy + out[1] * lens.fyPx) * toT;
      at += 2;
    }
  }
  return { widthPx, heightPx, data };
}

/**
 * Map that distorts again: for each pixel of the recorded picture its place in the undistorted one. The inverse is found by Newton's method
 * from the neighbour's; where that leaves the model's range, from the start. NaN where there is no undistorted place.
 */
export function redistortMap(lens: FrameLens, overscan: Overscan): StMap {
  const o = wholeOverscan(overscan);
  const { widthPx, heightPx } = lens;
  const toS = 1 / (widthPx + o.left + o.right),
    toT = 1 / (heightPx + o.top + o.bottom);
  const data = new Float32Array(2 * widthPx * heightPx);
  const p = coefficientsOf(lens.distortion);
  const { model } = lens.distortion;
  const undistort = undistorter(lens.distortion);
  const out = new Float64Array(2);
  const j = new Float64Array(4);
  const [cx, cy] = lens.center;
  // a thousandth of a pixel, squared, in normalised coordinates; the step after it is far below
  const near = (1e-3 / lens.fxPx) ** 2;
  let at = 0;
  for (let py = 0; py < heightPx; py += 1) {
    const yd = (py + 0.5 - cy) / lens.fyPx;
    let x = Number.NaN,
      y = Number.NaN;
    for (let px = 0; px < widthPx; px += 1) {
      const xd = (px + 0.5 - cx) / lens.fxPx;
      let settled = false;
      if (x === x) {
        x += 1 / lens.fxPx;
        for (let i = 0; i < 4 && !settled; i += 1) {
          distortWith(model, p, x, y, out, j, null);
          const ex = xd - out[0],
            ey = yd - out[1];
          const det = j[0] * j[3] - j[1] * j[2];
          if (!(det > 1e-3)) break;
          x += (j[3] * ex - j[1] * ey) / det;
          y += (j[0] * ey - j[2] * ex) / det;
          settled = ex * ex + ey * ey < near;
        }
      }
      if (!settled) {
        const found = undistort(xd, yd, out);
        x = found ? out[0] : Number.NaN;
        y = found ? out[1] : Number.NaN;
      }
      data[at] = (cx + x * lens.fxPx + o.left) * toS;
      data[at + 1] = 1 - (cy + y * lens.fyPx + o.top) * toT;
      at += 2;
    }
  }
  return { widthPx, heightPx, data };
}

/**
 * Largest error of a way there and back through two maps read with bilinear interpolation, px of the recorded picture; sampled on a
 * raster over the frame, half a pixel off the centres, where interpolation errs most.
 */
export function roundTripErrorPx(undistort: StMap, redistort: StMap, steps = 64): number {
  let worst = 0;
  const place: [number, number] = [0, 0];
  for (let j = 1; j < steps; j += 1) {
    for (let i = 1; i < steps; i += 1) {
      const x = Math.floor((redistort.widthPx * i) / steps),
        y = Math.floor((redistort.heightPx * j) / steps);
      if (!sample(redistort, x, y, place)) continue;
      if (!sample(undistort, place[0] * undistort.widthPx, (1 - place[1]) * undistort.heightPx, place)) continue;
      worst = Math.max(worst, Math.hypot(place[0] * redistort.widthPx - x, (1 - place[1]) * redistort.heightPx - y));
    }
  }
  return worst;
}

/** Bilinear at a place in px (corner origin); false outside or where the map has no value. */
function sample(map: StMap, x: number, y: number, out: [number, number]): boolean {
  const fx = x - 0.5,
    fy = y - 0.5;
  const x0 = Math.floor(fx),
    y0 = Math.floor(fy);
  if (!(x0 >= 0 && y0 >= 0 && x0 + 1 < map.widthPx && y0 + 1 < map.heightPx)) return false;
  const ax = fx - x0,
    ay = fy - y0;
  const i = 2 * (y0 * map.widthPx + x0);
  const below = i + 2 * map.widthPx;
  const d = map.data;
  for (let k = 0; k < 2; k += 1) out[k] = (1 - ay) * ((1 - ax) * d[i + k] + ax * d[i + 2 + k]) + ay * ((1 - ax) * d[below + k] + ax * d[below + 2 + k]);
  return out[0] === out[0] && out[1] === out[1];
}
