import { normals, uniform } from './noise';

type Triple = readonly [number, number, number];

/** A flat thing with something to see on it: a corner, two edges (metres) and the seed of its pattern; null: painted plainly, in `gray` 0…1. */
export interface Panel {
  corner: Triple;
  along: Triple;
  up: Triple;
  pattern: number | null;
  gray?: number;
  /** boards, frames and plates on it a square metre; default 9. More of them are smaller */
  perM2?: number;
  /** its darkest and its lightest, 0…1; default the whole range */
  tone?: readonly [number, number];
}
/** A still camera: heading 0 looks along −Z, positive to the left; a lens that bends by r² and r⁴ where `bend` says so. */
export interface StillCamera {
  at: Triple;
  headingRad: number;
  tiltRad: number;
  widthPx: number;
  heightPx: number;
  focalPx: number;
  /** k1 and k2 */
  bend?: readonly [number, number];
}
export interface StillLooks {
  /** light against the usual exposure, stops */
  stops?: number;
  /** sigma of the blur, px, along and down the picture */
  blurPx?: readonly [number, number];
  /** sigma of the noise in grey levels of 255 */
  noise?: number;
  seed?: number;
  /** through each pixel; default 4. One is enough where the picture is blurred afterwards; 16 where a place is measured to a hundredth of a pixel */
  rays?: 1 | 4 | 16;
}

interface Ray {
  from: Triple;
  to: [number, number, number];
}
const LINEAR_OF_GRAY = (g: number): number => (g <= 0.04045 ? g / 12.92 : ((g + 0.055) / 1.055) ** 2.4);
const GRAY_OF_LINEAR = (l: number): number => (l <= 0.0031308 ? 12.92 * l : 1.055 * l ** (1 / 2.4) - 0.055);
/** of a plainly painted panel, sRGB 0…1 */
const PAINT = 0.55;

/** What a still camera sees of panels, sRGB grey levels: four rays a pixel, then blur, exposure in linear light, and noise. */
export function renderStill(panels: readonly Panel[], camera: StillCamera, looks: StillLooks = {}): { widthPx: number; heightPx: number; gray: Uint8Array } {
  const { widthPx: w, heightPx: h } = camera;
  const patterns = panels.map((p) => (p.pattern === null ? null : patternOf(p.pattern, length(p.along), length(p.up), p.perM2)));
  const light = new Float64Array(w * h);
  const flats = flatten(panels);
  const rayAt = raysOf(camera);
  const subpixels = SUBPIXELS[looks.rays ?? 4];
  for (let y = 0; y < h; y += 1)
    for (let x = 0; x < w; x += 1) {
      let sum = 0;
      for (let k = 0; k < subpixels.length; k += 1) {
        const hit = firstHit(flats, rayAt(x + subpixels[k][0], y + subpixels[k][1]));
        if (hit) sum += LINEAR_OF_GRAY(toned(panels[hit.panel], patterns[hit.panel]?.(hit.u, hit.v)));
      }
      light[y * w + x] = sum / subpixels.length;
    }
  blur(light, w, h, looks.blurPx?.[0] ?? 0, looks.blurPx?.[1] ?? 0);
  const normal = normals(looks.seed ?? 1);
  const gain = 2 ** (looks.stops ?? 0);
  return { widthPx: w, heightPx: h, gray: Uint8Array.from(light, (l) => Math.min(255, Math.max(0, Math.round(255 * GRAY_OF_LINEAR(Math.min(1, gain * l)) + (looks.noise ?? 0) * normal())))) };
}
const toned = ({ gray, tone = [0, 1] }: Panel, seen: number | undefined): number => (seen === undefined ? (gray ?? PAINT) : tone[0] + (tone[1] - tone[0]) * seen);
const raster = (n: number) => Array.from({ length: n * n }, (_, i) => [((i % n) + 0.5) / n, (Math.floor(i / n) + 0.5) / n] as const);
const SUBPIXELS = { 1: raster(1), 4: raster(2), 16: raster(4) };

/** Share of the first camera's picture that the second one sees too: of every eighth pixel the place in space, and whether the other has it in view. */
export function sharedShare(panels: readonly Panel[], a: StillCamera, b: StillCamera): number {
  const flats = flatten(panels);
  const rayAt = raysOf(a);
  const { right, up, forward } = axesOf(b);
  let seen = 0;
  let all = 0;
  for (let y = 4; y < a.heightPx; y += 8)
    for (let x = 4; x < a.widthPx; x += 8) {
      all += 1;
      const hit = firstHit(flats, rayAt(x, y));
      if (!hit) continue;
      const d: Triple = [hit.at[0] - b.at[0], hit.at[1] - b.at[1], hit.at[2] - b.at[2]];
      const depth = dot(d, forward);
      if (depth <= 0) continue;
      const px = b.widthPx / 2 + (b.focalPx * dot(d, right)) / depth;
      const py = b.heightPx / 2 - (b.focalPx * dot(d, up)) / depth;
      if (px < 0 || py < 0 || px > b.widthPx || py > b.heightPx) continue;
      const back = firstHit(flats, { from: b.at, to: [d[0], d[1], d[2]] });
      if (back && Math.hypot(back.at[0] - hit.at[0], back.at[1] - hit.at[1], back.at[2] - hit.at[2]) < 0.02) seen += 1;
    }
  return seen / all;
}

/** Four walls, a floor and a ceiling round the origin, looked at from inside; `pattern` of the first wall, the next numbers for the others. */
export function roomPanels(widthM: number, depthM: number, heightM: number, pattern: number): Panel[] {
  const [x, z] = [widthM / 2, depthM / 2];
  return [
    { corner: [-x, 0, -z], along: [widthM, 0, 0], up: [0, heightM, 0], pattern },
    { corner: [x, 0, -z], along: [0, 0, depthM], up: [0, heightM, 0], pattern: pattern + 1 },
    { corner: [x, 0, z], along: [-widthM, 0, 0], up: [0, heightM, 0], pattern: pattern + 2 },
    { corner: [-x, 0, z], along: [0, 0, -depthM], up: [0, heightM, 0], pattern: pattern + 3 },
    { corner: [-x, 0, z], along: [widthM, 0, 0], up: [0, 0, -depthM], pattern: pattern + 4 },
    { corner: [-x, heightM, -z], along: [widthM, 0, 0], up: [0, 0, depthM], pattern: pattern + 5 },
  ];
}

/** The place of the nearest panel behind a place of the picture; null where there is none. */
export function placeBehind(panels: readonly Panel[], camera: StillCamera, xPx: number, yPx: number): { panel: number; at: Triple } | null {
  return firstHit(flatten(panels), raysOf(camera)(xPx, yPx));
}

/** Where a camera sees a place, px; null behind it. */
export function seenAt(c: StillCamera, at: Triple): { xPx: number; yPx: number } | null {
  const { right, up, forward } = axesOf(c);
  const d: Triple = [at[0] - c.at[0], at[1] - c.at[1], at[2] - c.at[2]];
  const depth = dot(d, forward);
  if (depth <= 0) return null;
  const [x, y] = [dot(d, right) / depth, dot(d, up) / depth];
  const [k1, k2] = c.bend ?? [0, 0];
  const r2 = x * x + y * y;
  const by = 1 + k1 * r2 + k2 * r2 * r2;
  return { xPx: c.widthPx / 2 + c.focalPx * x * by, yPx: c.heightPx / 2 - c.focalPx * y * by };
}

const dot = (a: Triple, b: Triple): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const length = (a: Triple): number => Math.sqrt(dot(a, a));

function axesOf(c: StillCamera): { right: Triple; up: Triple; forward: Triple } {
  const [ch, sh, ct, st] = [Math.cos(c.headingRad), Math.sin(c.headingRad), Math.cos(c.tiltRad), Math.sin(c.tiltRad)];
  return { right: [ch, 0, -sh], up: [st * sh, ct, st * ch], forward: [-ct * sh, st, -ct * ch] };
}

function raysOf(c: StillCamera): (xPx: number, yPx: number) => Ray {
  const { right, up, forward } = axesOf(c);
  return (xPx, yPx) => {
    let [r, u] = [(xPx - c.widthPx / 2) / c.focalPx, (c.heightPx / 2 - yPx) / c.focalPx];
    if (c.bend) {
      const [x, y] = [r, u];
      for (let i = 0; i < 8; i += 1) {
        const r2 = r * r + u * u;
        const by = 1 + c.bend[0] * r2 + c.bend[1] * r2 * r2;
        [r, u] = [x / by, y / by];
      }
    }
    return { from: c.at, to: [forward[0] + r * right[0] + u * up[0], forward[1] + r * right[1] + u * up[1], forward[2] + r * right[2] + u * up[2]] };
  };
}

/** A panel with what does not change from ray to ray. */
interface Flat {
  corner: Triple;
  normal: Triple;
  away: number;
  along: Triple;
  up: Triple;
  widthM: number;
  heightM: number;
}
function flatten(panels: readonly Panel[]): Flat[] {
  return panels.map(({ corner, along, up }) => {
    const normal: Triple = [along[1] * up[2] - along[2] * up[1], along[2] * up[0] - along[0] * up[2], along[0] * up[1] - along[1] * up[0]];
    const [widthM, heightM] = [length(along), length(up)];
    const unit = (t: Triple, l: number): Triple => [t[0] / l, t[1] / l, t[2] / l];
    return { corner, normal, away: dot(normal, corner), along: unit(along, widthM), up: unit(up, heightM), widthM, heightM };
  });
}

function firstHit(flats: readonly Flat[], { from, to }: Ray): { panel: number; u: number; v: number; at: Triple } | null {
  let nearest = Infinity;
  let found: { panel: number; u: number; v: number; at: Triple } | null = null;
  for (let panel = 0; panel < flats.length; panel += 1) {
    const f = flats[panel];
    const towards = dot(f.normal, to);
    if (Math.abs(towards) < 1e-12) continue;
    const t = (f.away - dot(f.normal, from)) / towards;
    if (t < 1e-6 || t >= nearest) continue;
    const x = from[0] + t * to[0];
    const y = from[1] + t * to[1];
    const z = from[2] + t * to[2];
    const qx = x - f.corner[0];
    const qy = y - f.corner[1];
    const qz = z - f.corner[2];
    const u = qx * f.along[0] + qy * f.along[1] + qz * f.along[2];
    const v = qx * f.up[0] + qy * f.up[1] + qz * f.up[2];
    if (u < 0 || v < 0 || u > f.widthM || v > f.heightM) continue;
    nearest = t;
    found = { panel, u, v, at: [x, y, z] };
  }
  return found;
}

const USUAL_PER_M2 = 9;

/** A wall as sets have them: stains of three sizes, with boards, frames and plates on it. Grey 0…1 at a place in metres. */
function patternOf(seed: number, widthM: number, heightM: number, perM2 = USUAL_PER_M2): (u: number, v: number) => number {
  const random = uniform(seed * 7919 + 13);
  const size = Math.sqrt(USUAL_PER_M2 / perM2);
  const things = Array.from({ length: Math.ceil(perM2 * widthM * heightM) }, () => ({
    u: random() * widthM,
    v: random() * heightM,
    w: size * (0.04 + 0.3 * random() ** 2),
    h: size * (0.04 + 0.3 * random() ** 2),
    grey: 0.1 + 0.75 * random(),
  }));
  // things in a raster of half metres, so that a place asks only the few near it
  const cell = 0.5 * size;
  const columns = Math.ceil(widthM / cell) + 1;
  const near = new Map<number, typeof things>();
  for (const thing of things)
    for (let i = Math.floor((thing.u - thing.w) / cell); i <= Math.floor((thing.u + thing.w) / cell); i += 1)
      for (let j = Math.floor((thing.v - thing.h) / cell); j <= Math.floor((thing.v + thing.h) / cell); j += 1) near.set(j * columns + i, [...(near.get(j * columns + i) ?? []), thing]);
  const salt = seed * 31;
  return (u, v) => {
    let grey = 0.5 + 0.24 * (grain(u, v, 0.4, salt + 1) - 0.5) + 0.16 * (grain(u, v, 0.12, salt + 2) - 0.5) + 0.1 * (grain(u, v, 0.04, salt + 3) - 0.5);
    const here = near.get(Math.floor(v / cell) * columns + Math.floor(u / cell));
    if (here)
      for (let k = 0; k < here.length; k += 1) {
        const thing = here[k];
        if (Math.abs(u - thing.u) < thing.w && Math.abs(v - thing.v) < thing.h) grey = 0.75 * thing.grey + 0.25 * grey;
      }
    return grey;
  };
}

/** Smooth noise of one size, 0…1; asked for each of millions of rays, so nothing is made here. */
function grain(u: number, v: number, size: number, salt: number): number {
  const x = u / size;
  const y = v / size;
  const i = Math.floor(x);
  const j = Math.floor(y);
  const p = x - i;
  const q = y - j;
  const a = p * p * (3 - 2 * p);
  const b = q * q * (3 - 2 * q);
  return (1 - b) * ((1 - a) * hash(i, j, salt) + a * hash(i + 1, j, salt)) + b * ((1 - a) * hash(i, j + 1, salt) + a * hash(i + 1, j + 1, salt));
}

/** A number 0…1 that belongs to three whole numbers. */
function hash(x: number, y: number, z: number): number {
  let n = Math.imul(x, 374761393) ^ Math.imul(y, 668265263) ^ Math.imul(z, 2147483647);
  n = Math.imul(n ^ (n >>> 13), 1274126177);
  return ((n ^ (n >>> 16)) >>> 0) / 4294967296;
}

function blur(values: Float64Array, w: number, h: number, acrossPx: number, downPx: number): void {
  const pass = (sigma: number, start: number, step: number, n: number) => {
    const reach = Math.ceil(4 * sigma);
    const taps = Array.from({ length: 2 * reach + 1 }, (_, i) => Math.exp(-((i - reach) ** 2) / (2 * sigma * sigma)));
    const sum = taps.reduce((a, b) => a + b, 0);
    const line = Float64Array.from({ length: n }, (_, k) => values[start + k * step]);
    for (let k = 0; k < n; k += 1) {
      let v = 0;
      if (k >= reach && k < n - reach) for (let i = 0; i < taps.length; i += 1) v += taps[i] * line[k - reach + i];
      else for (let i = -reach; i <= reach; i += 1) v += taps[i + reach] * line[Math.min(n - 1, Math.max(0, k + i))];
      values[start + k * step] = v / sum;
    }
  };
  if (acrossPx > 0) for (let y = 0; y < h; y += 1) pass(acrossPx, y * w, 1, w);
  if (downPx > 0) for (let x = 0; x < w; x += 1) pass(downPx, x, w, h);
}
