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
export interface Ray {
  from: Triple;
  to: [number, number, number];
}
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
export const lengthOf = (a: Triple): number => Math.sqrt(dot(a, a));

function axesOf(c: StillCamera): { right: Triple; up: Triple; forward: Triple } {
  const [ch, sh, ct, st] = [Math.cos(c.headingRad), Math.sin(c.headingRad), Math.cos(c.tiltRad), Math.sin(c.tiltRad)];
  return { right: [ch, 0, -sh], up: [st * sh, ct, st * ch], forward: [-ct * sh, st, -ct * ch] };
}

export function raysOf(c: StillCamera): (xPx: number, yPx: number) => Ray {
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
export interface Flat {
  corner: Triple;
  normal: Triple;
  away: number;
  along: Triple;
  up: Triple;
  widthM: number;
  heightM: number;
}
export function flatten(panels: readonly Panel[]): Flat[] {
  return panels.map(({ corner, along, up }) => {
    const normal: Triple = [along[1] * up[2] - along[2] * up[1], along[2] * up[0] - along[0] * up[2], along[0] * up[1] - along[1] * up[0]];
    const [widthM, heightM] = [lengthOf(along), lengthOf(up)];
    const unit = (t: Triple, l: number): Triple => [t[0] / l, t[1] / l, t[2] / l];
    return { corner, normal, away: dot(normal, corner), along: unit(along, widthM), up: unit(up, heightM), widthM, heightM };
  });
}

export function firstHit(flats: readonly Flat[], { from, to }: Ray): { panel: number; u: number; v: number; at: Triple } | null {
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
