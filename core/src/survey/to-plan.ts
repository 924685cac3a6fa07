import { mulMat3, transpose3, type Mat3, type Vec3 } from '../math';
import type { NetPoint } from './net-result';

/** The turn about the upright, and the middles (x, z), by which places lie on others best, in the plane and without scale (Umeyama 1991). */
interface PlanFit {
  turnRad: number;
  from: readonly [number, number];
  to: readonly [number, number];
  /** what remains, root mean square, m */
  rmsM: number;
}

/** Null below two pairs. */
export function planFit(pairs: readonly (readonly [Vec3, Vec3])[]): PlanFit | null {
  const n = pairs.length;
  if (n < 2) return null;
  const mean = (pick: (q: (typeof pairs)[number]) => number) => pairs.reduce((s, q) => s + pick(q) / n, 0);
  const [ax, az, bx, bz] = [mean(([a]) => a[0]), mean(([a]) => a[2]), mean(([, b]) => b[0]), mean(([, b]) => b[2])];
  let [same, crossed] = [0, 0];
  for (const [a, b] of pairs) {
    same += (a[0] - ax) * (b[0] - bx) + (a[2] - az) * (b[2] - bz);
    crossed += (a[0] - ax) * (b[2] - bz) - (a[2] - az) * (b[0] - bx);
  }
  const turnRad = Math.atan2(crossed, same);
  const [c, s] = [Math.cos(turnRad), Math.sin(turnRad)];
  const square = pairs.reduce((sum, [a, b]) => sum + (bx + c * (a[0] - ax) - s * (a[2] - az) - b[0]) ** 2 + (bz + s * (a[0] - ax) + c * (a[2] - az) - b[2]) ** 2, 0);
  return { turnRad, from: [ax, az], to: [bx, bz], rmsM: Math.sqrt(square / n) };
}

/**
 * The net turned about the upright and moved so that it lies on the plan as well as it can (least squares in the plane, without scale;
 * Umeyama 1991): heights and shape stay as they were measured. As given where the plan knows fewer than two of its points.
 */
export function netOnPlan(points: readonly NetPoint[], plan: ReadonlyMap<string, Vec3>): NetPoint[] {
  const fit = planFit(points.flatMap((p) => (plan.has(p.id) ? [[p.at, plan.get(p.id)!] as const] : [])));
  if (!fit) return [...points];
  const { turnRad, from, to } = fit;
  const [c, s] = [Math.cos(turnRad), Math.sin(turnRad)];
  return points.map((p) => {
    const [x, z] = [p.at[0] - from[0], p.at[2] - from[1]];
    const r: Mat3 = [c, 0, -s, 0, 1, 0, s, 0, c];
    const turned = mulMat3(mulMat3(r, p.covarianceM2), transpose3(r));
    return {
      ...p,
      at: [to[0] + c * x - s * z, p.at[1], to[1] + s * x + c * z],
      covarianceM2: turned,
      sigmaM: [Math.sqrt(Math.max(0, turned[0])), p.sigmaM[1], Math.sqrt(Math.max(0, turned[8]))],
    };
  });
}

/** Half axes of the level error ellipse, m, one sigma, and the way the longer one runs, radians from +X towards +Z. */
export function errorEllipse(p: NetPoint): { longM: number; shortM: number; turnRad: number } {
  const [xx, xz, zz] = [p.covarianceM2[0], p.covarianceM2[2], p.covarianceM2[8]];
  const half = (xx + zz) / 2;
  const root = Math.hypot((xx - zz) / 2, xz);
  return { longM: Math.sqrt(Math.max(0, half + root)), shortM: Math.sqrt(Math.max(0, half - root)), turnRad: 0.5 * Math.atan2(2 * xz, xx - zz) };
}
