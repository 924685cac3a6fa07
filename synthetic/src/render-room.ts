import { normals } from './noise';
import { FINEST_STAIN_M, patternOf, type Pattern } from './room-pattern';
import { firstHit, flatten, lengthOf, raysOf, type Flat, type Panel, type Ray, type StillCamera } from './room-rays';

export interface StillLooks {
  /** light against the usual exposure, stops */
  stops?: number;
  /** sigma of the blur, px, along and down the picture */
  blurPx?: readonly [number, number];
  /** sigma of the noise in grey levels of 255 */
  noise?: number;
  seed?: number;
}

const LINEAR_OF_GRAY = (g: number): number => (g <= 0.04045 ? g / 12.92 : ((g + 0.055) / 1.055) ** 2.4);
const GRAY_OF_LINEAR = (l: number): number => (l <= 0.0031308 ? 12.92 * l : 1.055 * l ** (1 / 2.4) - 0.055);
/** of a plainly painted panel, sRGB 0…1 */
const PAINT = 0.55;
/**
 * Places in a pixel with an edge in it: a lattice whose rows and columns all differ, so that an edge along either is placed to a 34th of a pixel.
 * Even rows would put it to the half or the quarter, and whoever follows it would be measured by that.
 */
const INSIDE = Array.from({ length: 34 }, (_, i): readonly [number, number] => [(i + 0.5) / 34, (((21 * i) % 34) + 0.5) / 34]);

interface Painted extends Panel {
  seen: Pattern | null;
}

/** What a still camera sees of panels, sRGB grey levels: light gathered over the area of each pixel, then blur, exposure in linear light, and noise. */
export function renderStill(panels: readonly Panel[], camera: StillCamera, looks: StillLooks = {}): { widthPx: number; heightPx: number; gray: Uint8Array } {
  const { widthPx: w, heightPx: h } = camera;
  const light = lightOf(panels, camera);
  blur(light, w, h, looks.blurPx?.[0] ?? 0, looks.blurPx?.[1] ?? 0);
  const normal = looks.noise ? normals(looks.seed ?? 1) : () => 0;
  const gain = 2 ** (looks.stops ?? 0);
  const gray = new Uint8Array(w * h);
  for (let i = 0; i < gray.length; i += 1) {
    const exposed = 255 * GRAY_OF_LINEAR(Math.min(1, gain * light[i]));
    gray[i] = Math.min(255, Math.max(0, Math.round(exposed + (looks.noise ?? 0) * normal())));
  }
  return { widthPx: w, heightPx: h, gray };
}

/** Rays through the corners of the pixels: where all four meet one panel, the places between them lie between those they meet. */
function lightOf(panels: readonly Panel[], camera: StillCamera): Float64Array {
  const { widthPx: w, heightPx: h } = camera;
  const painted: Painted[] = panels.map((p) => ({ ...p, seen: p.pattern === null ? null : patternOf(p.pattern, lengthOf(p.along), lengthOf(p.up), p.perM2) }));
  const flats = flatten(panels);
  const rayAt = raysOf(camera);
  const light = new Float64Array(w * h);
  let above = cornersOf(0, w, flats, rayAt);
  for (let y = 0; y < h; y += 1) {
    const below = cornersOf(y + 1, w, flats, rayAt);
    for (let x = 0; x < w; x += 1) {
      const panel = above.panel[x];
      const alike = panel === above.panel[x + 1] && panel === below.panel[x] && panel === below.panel[x + 1];
      if (!alike) light[y * w + x] = overEdges(painted, flats, rayAt, x, y);
      else if (panel >= 0) light[y * w + x] = onOne(painted[panel], above, below, x);
    }
    above = below;
  }
  return light;
}

/** Along a line of corners: the panel (−1: none) and the place on it, metres. */
interface Corners {
  panel: Int32Array;
  u: Float64Array;
  v: Float64Array;
}
function cornersOf(y: number, w: number, flats: readonly Flat[], rayAt: (x: number, y: number) => Ray): Corners {
  const row: Corners = { panel: new Int32Array(w + 1).fill(-1), u: new Float64Array(w + 1), v: new Float64Array(w + 1) };
  for (let x = 0; x <= w; x += 1) {
    const hit = firstHit(flats, rayAt(x, y));
    if (hit) [row.panel[x], row.u[x], row.v[x]] = [hit.panel, hit.u, hit.v];
  }
  return row;
}

/** A pixel through which panels end: many rays. */
function overEdges(painted: readonly Painted[], flats: readonly Flat[], rayAt: (x: number, y: number) => Ray, x: number, y: number): number {
  let sum = 0;
  for (const [p, q] of INSIDE) {
    const hit = firstHit(flats, rayAt(x + p, y + q));
    if (hit) sum += lightAt(painted[hit.panel], hit.u, hit.v);
  }
  return sum / INSIDE.length;
}

function onOne(panel: Painted, above: Corners, below: Corners, x: number): number {
  const { seen } = panel;
  const [u0, u1, u2, u3] = [above.u[x], above.u[x + 1], below.u[x], below.u[x + 1]];
  const [v0, v1, v2, v3] = [above.v[x], above.v[x + 1], below.v[x], below.v[x + 1]];
  const [u, v] = [(u0 + u1 + u2 + u3) / 4, (v0 + v1 + v2 + v3) / 4];
  if (!seen) return lightAt(panel, u, v);
  const [fromU, toU] = [Math.min(u0, u1, u2, u3), Math.max(u0, u1, u2, u3)];
  const [fromV, toV] = [Math.min(v0, v1, v2, v3), Math.max(v0, v1, v2, v3)];
  // stains are smooth within a pixel, unless it is seen from far away or along its panel
  const coarse = Math.max(toU - fromU, toV - fromV) > FINEST_STAIN_M / 2;
  if (!coarse && !seen.hasEdge(fromU, toU, fromV, toV)) return lightAt(panel, u, v);
  let stain = seen.stainAt(u, v);
  let [sum, last, lastLight] = [0, -2, 0];
  for (let k = 0; k < INSIDE.length; k += 1) {
    const [p, q] = INSIDE[k];
    const pu = (1 - q) * (u0 + p * (u1 - u0)) + q * (u2 + p * (u3 - u2));
    const pv = (1 - q) * (v0 + p * (v1 - v0)) + q * (v2 + p * (v3 - v2));
    const thing = seen.thingAt(pu, pv);
    const again = coarse && k % 4 === 0;
    if (again) stain = seen.stainAt(pu, pv);
    if (again || thing !== last) [last, lastLight] = [thing, LINEAR_OF_GRAY(toned(panel, seen.seen(thing, stain)))];
    sum += lastLight;
  }
  return sum / INSIDE.length;
}

function lightAt(panel: Painted, u: number, v: number): number {
  const { seen } = panel;
  return LINEAR_OF_GRAY(seen ? toned(panel, seen.seen(seen.thingAt(u, v), seen.stainAt(u, v))) : (panel.gray ?? PAINT));
}
const toned = ({ tone = [0, 1] }: Panel, seen: number): number => tone[0] + (tone[1] - tone[0]) * seen;

function blur(values: Float64Array, w: number, h: number, acrossPx: number, downPx: number): void {
  const pass = (sigma: number, step: number, n: number) => {
    const reach = Math.ceil(4 * sigma);
    const taps = Float64Array.from({ length: 2 * reach + 1 }, (_, i) => Math.exp(-((i - reach) ** 2) / (2 * sigma * sigma)));
    const sum = taps.reduce((a, b) => a + b, 0);
    // the line with its ends drawn out, so that no tap asks whether it is inside
    const line = new Float64Array(n + 2 * reach);
    return (start: number) => {
      for (let k = 0; k < line.length; k += 1) line[k] = values[start + Math.min(n - 1, Math.max(0, k - reach)) * step];
      for (let k = 0; k < n; k += 1) {
        let v = 0;
        for (let i = 0; i < taps.length; i += 1) v += taps[i] * line[k + i];
        values[start + k * step] = v / sum;
      }
    };
  };
  if (acrossPx > 0) {
    const along = pass(acrossPx, 1, w);
    for (let y = 0; y < h; y += 1) along(y * w);
  }
  if (downPx > 0) {
    const down = pass(downPx, w, h);
    for (let x = 0; x < w; x += 1) down(x);
  }
}
