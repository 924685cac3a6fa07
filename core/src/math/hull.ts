/** Area in px² of the convex hull of the points (monotone chain, Andrew 1979). */
export function hullAreaPx(points: readonly { x: number; y: number }[]): number {
  const hull = convexHull(points);
  let twice = 0;
  for (let i = 0; i < hull.length; i += 1) {
    const a = hull[i];
    const b = hull[(i + 1) % hull.length];
    twice += a.x * b.y - b.x * a.y;
  }
  return Math.abs(twice) / 2;
}

export function convexHull<P extends { x: number; y: number }>(points: readonly P[]): P[] {
  const sorted = withoutInner(points).sort((a, b) => a.x - b.x || a.y - b.y);
  if (sorted.length < 3) return sorted;
  const half = (list: P[]) => {
    const out: P[] = [];
    for (const p of list) {
      while (out.length >= 2) {
        const a = out[out.length - 2];
        const b = out[out.length - 1];
        if ((b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x) > 0) break;
        out.pop();
      }
      out.push(p);
    }
    out.pop();
    return out;
  };
  return [...half(sorted), ...half([...sorted].reverse())];
}

/** Fewer are sorted faster than they are sifted. */
const WORTH_SIFTING = 64;
/** The ways out of a picture: where a list reaches farthest along each are eight corners of its hull, in order. */
const OUTWARDS = [
  [1, 0],
  [1, 1],
  [0, 1],
  [-1, 1],
  [-1, 0],
  [-1, -1],
  [0, -1],
  [1, -1],
] as const;

/**
 * The points without those that lie inside the octagon of the outermost ones: none of them is on the hull. Of the corners of a chart that fills
 * the frame few are left to sort.
 * Source  Akl & Toussaint, A fast convex hull algorithm, Information Processing Letters 7(5), 1978.
 */
function withoutInner<P extends { x: number; y: number }>(points: readonly P[]): P[] {
  if (points.length < WORTH_SIFTING) return [...points];
  // the coordinates beside each other: objects of a long list lie all over the memory
  const n = points.length;
  const xs = new Float64Array(n);
  const ys = new Float64Array(n);
  for (let i = 0; i < n; i += 1) {
    xs[i] = points[i].x;
    ys[i] = points[i].y;
  }
  const corners = OUTWARDS.map(([ux, uy]) => farthest(xs, ys, ux, uy));
  const inner = new Uint8Array(n).fill(1);
  corners.forEach((a, k) => markOutside(xs, ys, a, corners[(k + 1) % corners.length], inner));
  return points.filter((_, i) => inner[i] === 0);
}

/** The number of the first point that lies farthest along (ux, uy). */
function farthest(xs: Float64Array, ys: Float64Array, ux: number, uy: number): number {
  let best = 0;
  for (let i = 1; i < xs.length; i += 1) if (ux * xs[i] + uy * ys[i] > ux * xs[best] + uy * ys[best]) best = i;
  return best;
}

/** Marks with 0 those that are not to the left of the way from a to b; none where the two are one place, which bounds nothing. */
function markOutside(xs: Float64Array, ys: Float64Array, a: number, b: number, inner: Uint8Array): void {
  const ax = xs[a];
  const ay = ys[a];
  const ex = xs[b] - ax;
  const ey = ys[b] - ay;
  if (ex === 0 && ey === 0) return;
  for (let i = 0; i < xs.length; i += 1) if (!(ex * (ys[i] - ay) - ey * (xs[i] - ax) > 0)) inner[i] = 0;
}
