import { median, seededRandom, type Mat3 } from '../math';
import { toCameraOf } from '../setup';
import { alongRay, layoutOf, type LengthsProblem } from './lengths-problem';

const RAD = Math.PI / 180;
const FOCAL_STARTS = [1, 0.71, 1.41, 0.5, 2];
const FLOOR_TILTS_DEG = [-75, -60, -48, -38, -29, -21, -14, -8, -3, 3, 10];
const LEANS_DEG = [-60, -30, 0, 30, 60];
const RELIEFS = 8;

/**
 * Where the adjustment begins: marks on a floor seen at many tilts, on a wall seen at many angles, and at depths by chance; each at several
 * focal lengths where that is unknown, each as large as the ties say.
 */
export function startsOf(p: LengthsProblem): Float64Array[] {
  const starts: Float64Array[] = [];
  const random = seededRandom(11);
  const relief = Array.from({ length: RELIEFS }, () => p.rays.map(() => Math.exp(0.8 * (random() - 0.5))));
  for (const factor of p.focal.mode === 'free' ? FOCAL_STARTS : [1]) {
    const mm = factor * p.focal.mm;
    const put = (tiltRad: number, depthOf: (i: number) => number | null) => {
      const start = startAt(p, mm, tiltRad, depthOf);
      if (start) starts.push(start);
    };
    if (p.floored) for (const deg of FLOOR_TILTS_DEG) put(deg * RAD, onFloor(p, mm, deg * RAD));
    for (const yaw of LEANS_DEG) for (const pitch of LEANS_DEG) put(0, onPlane(p, mm, Math.tan(yaw * RAD), Math.tan(pitch * RAD)));
    for (const depths of relief) put(0, (i) => depths[i]);
  }
  return starts;
}

/** Depth of the marks that stand on the floor, one metre under the camera; the others stand as far away as those they are measured to. */
function onFloor(p: LengthsProblem, mm: number, tiltRad: number): (i: number) => number | null {
  const m = toCameraOf(0, tiltRad, 0);
  const heights = new Map(p.facts.flatMap((f) => (f.kind === 'height' ? [[f.id, f.m] as const] : [])));
  const depths = p.rays.map((r) => {
    const down = -(m[1] * r.xMm + m[4] * r.yMm) / mm - m[7];
    // a hundredth below the horizon is as good as never
    return (heights.get(r.id) ?? 1) < 0.02 && down > 0.01 ? 1 / down : null;
  });
  const index = new Map(p.rays.map((r, i) => [r.id, i]));
  return (i) => {
    if (depths[i] !== null) return depths[i];
    const near = p.facts.flatMap((f) => {
      if (f.kind === 'height' || f.kind === 'wall') return [];
      const other = f.a === p.rays[i].id ? f.b : f.b === p.rays[i].id ? f.a : null;
      const depth = other === null ? null : depths[index.get(other) ?? -1];
      return depth ? [depth] : [];
    });
    return near.length > 0 ? median(near) : null;
  };
}

/** Depth on a plane whose middle is one metre away. */
const onPlane = (p: LengthsProblem, mm: number, across: number, down: number) => (i: number) => {
  const over = 1 + (across * p.rays[i].xMm + down * p.rays[i].yMm) / mm;
  return over > 0.05 ? 1 / over : null;
};

function startAt(p: LengthsProblem, mm: number, tiltRad: number, depthOf: (i: number) => number | null): Float64Array | null {
  const layout = layoutOf(p);
  const toCamera: Mat3 = toCameraOf(0, layout.tilt < 0 ? 0 : tiltRad, 0);
  const known = p.rays.map((_, i) => depthOf(i));
  const some = known.filter((d) => d !== null);
  if (2 * some.length < known.length) return null;
  const usual = median(some);
  const places = p.rays.map((r, i) => alongRay(r, mm, known[i] ?? usual, toCamera));
  const index = new Map(p.rays.map((r, i) => [r.id, i]));
  const ratios = p.facts.flatMap((f) => {
    if (f.kind !== 'tie') return [];
    const [a, b] = [places[index.get(f.a)!], places[index.get(f.b)!]];
    return [f.m / Math.max(1e-6, Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]))];
  });
  if (ratios.length === 0) return null;
  const scale = median(ratios);
  const x = new Float64Array(layout.count);
  places.forEach((q, i) => q.forEach((v, k) => (x[3 * i + k] = scale * v)));
  if (layout.tilt >= 0) x[layout.tilt] = tiltRad;
  if (layout.height >= 0) x[layout.height] = median(p.facts.flatMap((f) => (f.kind === 'height' ? [f.m - x[3 * index.get(f.id)! + 1]] : [])));
  if (layout.focal >= 0) x[layout.focal] = Math.log(mm);
  return x;
}
