import { median } from '../math';
import type { FollowedTrack } from '../track';
import { solveTracks, zoomedInstead, type SolveSetup, type TrackPoint } from '../solve';

/** A burn-in keeps its place to this, px at HD width, while the picture under it goes by at least the second. */
const KEEPS_PX = 0.5;
const GOES_BY_PX = 4;
const LEAST_FRAMES = 3;

/** A place of the picture that stays while the picture goes by under it. */
export interface BurntPlace {
  xPx: number;
  yPx: number;
}

/**
 * Places where a track stays while the picture goes by: letters, logos, dust, the edge of a matte. A track on figures that change may leap from one
 * to the next, and stays on each.
 * Model    the motion of the picture from frame to frame is a shift that changes evenly over it (an affine map), fitted so that those that go
 *          another way count little; summed up over the frames in which a track keeps its place, it is the way the picture went there.
 */
export function burntPlaces(tracks: readonly FollowedTrack[], widthPx: number): BurntPlace[] {
  const scale = Math.max(0.5, widthPx / 1920);
  const motion = motionsOf(tracks);
  const places: BurntPlace[] = [];
  for (const t of tracks) {
    for (let i = 0; i < t.frames.length;) {
      const j = staysUntil(t, i, 2 * KEEPS_PX * scale);
      if (j - i + 1 >= LEAST_FRAMES) {
        let [x, y] = [0, 0];
        let reach = 0;
        for (let k = i + 1; k <= j; k += 1) {
          const m = motion.get(t.frames[k]);
          if (!m) continue;
          x += m[0] + m[1] * t.xPx[k] + m[2] * t.yPx[k];
          y += m[3] + m[4] * t.xPx[k] + m[5] * t.yPx[k];
          reach = Math.max(reach, Math.abs(x), Math.abs(y));
        }
        if (reach > GOES_BY_PX * scale) places.push({ xPx: median(t.xPx.slice(i, j + 1)), yPx: median(t.yPx.slice(i, j + 1)) });
      }
      i = Math.max(i + 1, j);
    }
  }
  return places;
}

/** The last of the frames from `i` on over which the track spans no more than `px`. */
function staysUntil(t: FollowedTrack, i: number, px: number): number {
  let [x0, x1, y0, y1] = [t.xPx[i], t.xPx[i], t.yPx[i], t.yPx[i]];
  let j = i;
  while (j + 1 < t.frames.length) {
    x0 = Math.min(x0, t.xPx[j + 1]);
    x1 = Math.max(x1, t.xPx[j + 1]);
    y0 = Math.min(y0, t.yPx[j + 1]);
    y1 = Math.max(y1, t.yPx[j + 1]);
    if (x1 - x0 > px || y1 - y0 > px) break;
    j += 1;
  }
  return j;
}

type Affine = readonly [number, number, number, number, number, number];
const ROUNDS = 8;

/** By frame, how the picture moved into it: dx = a + b x + c y, dy = d + e x + f y. Frames with fewer than a dozen tracks have none. */
function motionsOf(tracks: readonly FollowedTrack[]): Map<number, Affine> {
  const byFrame = new Map<number, { x: number; y: number; dx: number; dy: number }[]>();
  for (const t of tracks)
    for (let i = 1; i < t.frames.length; i += 1) {
      if (t.frames[i] !== t.frames[i - 1] + 1) continue;
      const list = byFrame.get(t.frames[i]);
      const one = { x: t.xPx[i], y: t.yPx[i], dx: t.xPx[i] - t.xPx[i - 1], dy: t.yPx[i] - t.yPx[i - 1] };
      if (list) list.push(one);
      else byFrame.set(t.frames[i], [one]);
    }
  return new Map([...byFrame].flatMap(([frame, list]) => (list.length >= 12 ? [[frame, affineOf(list)] as const] : [])));
}

/** Reweighted least squares with Cauchy weights, from the medians. */
function affineOf(list: readonly { x: number; y: number; dx: number; dy: number }[]): Affine {
  let m: Affine = [median(list.map((l) => l.dx)), 0, 0, median(list.map((l) => l.dy)), 0, 0];
  for (let round = 0; round < ROUNDS; round += 1) {
    const miss = list.map((l) => Math.hypot(l.dx - m[0] - m[1] * l.x - m[2] * l.y, l.dy - m[3] - m[4] * l.x - m[5] * l.y));
    const width = Math.max(0.1, 1.5 * median(miss));
    const n = new Float64Array(9);
    const r = new Float64Array(6);
    list.forEach((l, i) => {
      const w = 1 / (1 + (miss[i] / width) ** 2);
      const row = [1, l.x / 1000, l.y / 1000];
      for (let p = 0; p < 3; p += 1) {
        for (let q = 0; q < 3; q += 1) n[3 * p + q] += w * row[p] * row[q];
        r[p] += w * row[p] * l.dx;
        r[3 + p] += w * row[p] * l.dy;
      }
    });
    const inverse = inverse3(n);
    if (!inverse) return m;
    const solve = (at: number) => [0, 1, 2].map((p) => inverse[3 * p] * r[at] + inverse[3 * p + 1] * r[at + 1] + inverse[3 * p + 2] * r[at + 2]);
    const [x, y] = [solve(0), solve(3)];
    m = [x[0], x[1] / 1000, x[2] / 1000, y[0], y[1] / 1000, y[2] / 1000];
  }
  return m;
}

function inverse3(a: Float64Array): Float64Array | null {
  const c = Float64Array.of(
    ...[a[4] * a[8] - a[5] * a[7], a[2] * a[7] - a[1] * a[8], a[1] * a[5] - a[2] * a[4]],
    ...[a[5] * a[6] - a[3] * a[8], a[0] * a[8] - a[2] * a[6], a[2] * a[3] - a[0] * a[5]],
    ...[a[3] * a[7] - a[4] * a[6], a[1] * a[6] - a[0] * a[7], a[0] * a[4] - a[1] * a[3]],
  );
  const det = a[0] * c[0] + a[1] * c[3] + a[2] * c[6];
  return Math.abs(det) > 1e-12 ? c.map((v) => v / det) : null;
}

/**
 * Tracks that a camera among still things does not explain, by a test solve; of a take whose picture grows or shrinks by one that zooms, where that
 * explains it better: taken as one length, still things at the border seem to move. Null where none came out, and nothing can be said by it.
 */
export function movingBySolve(points: readonly TrackPoint[], setup: SolveSetup): Set<string> | null {
  const asked: SolveSetup = { ...setup, anchors: undefined };
  const one = solveTracks(points, asked, { onlyTracks: true });
  const solve = zoomedInstead(points, asked, one) ?? one;
  const all = new Set(points.map((p) => p.track)).size;
  if (solve.status === 'failed') return null;
  const moving = new Set(solve.trimmed.filter((t) => t.reason === 'moving' && t.frame === null).map((t) => t.track));
  return moving.size > 0.5 * all ? null : moving;
}

/** A lens as most are, where nothing is known: the solve finds its focal length. */
export const lensToBeFound = (widthPx: number, heightPx: number, squeeze: number): SolveSetup => ({
  image: { width: widthPx, height: heightPx },
  sensor: { widthMm: 24, heightMm: (24 * heightPx) / widthPx },
  squeeze,
  focal: { mode: 'free', mm: 28 },
  distortion: { mode: 'none' },
});
