import { cross, dot, norm, sub, type Vec3 } from '../math';

/** A surface on which a point lies: a sphere round a placed point, or a plane n · x = c with |n| = 1. */
export type Surface = { kind: 'sphere'; centre: Vec3; radiusM: number; sigmaM: number } | { kind: 'plane'; normal: Vec3; offsetM: number; sigmaM: number };

/** Planes, or a plane and a line, whose angle has a smaller sine than this do not cut. */
const LEAST_SINE = 0.05;

export const offSurface = (s: Surface, x: Vec3): number => (s.kind === 'sphere' ? norm(sub(x, s.centre)) - s.radiusM : dot(s.normal, x) - s.offsetM);

/**
 * Places that lie on three surfaces: two, one, or none when they do not cut properly. Spheres are taken in pairs: their difference is a
 * plane (radical plane), so that a line and one sphere remain. Where noise keeps line and sphere apart, the place on the line nearest to the sphere stands for both.
 */
export function intersect(surfaces: readonly [Surface, Surface, Surface]): Vec3[] {
  const planes: { normal: Vec3; offsetM: number }[] = [];
  let sphere: Extract<Surface, { kind: 'sphere' }> | null = null;
  for (const s of surfaces) {
    if (s.kind === 'plane') planes.push(s);
    else if (!sphere) sphere = s;
    else {
      const d = sub(s.centre, sphere.centre);
      const length = norm(d);
      if (length < 1e-6) return [];
      const normal: Vec3 = [d[0] / length, d[1] / length, d[2] / length];
      // |x − a|² − ra² = |x − b|² − rb²
      const along = (length * length + sphere.radiusM ** 2 - s.radiusM ** 2) / (2 * length);
      planes.push({ normal, offsetM: dot(normal, sphere.centre) + along });
    }
  }
  const [p, q] = planes;
  const direction = cross(p.normal, q.normal);
  const sine = norm(direction);
  if (sine < LEAST_SINE) return [];
  const u: Vec3 = [direction[0] / sine, direction[1] / sine, direction[2] / sine];
  if (!sphere) {
    const third = planes[2];
    const across = dot(third.normal, u);
    if (Math.abs(across) < LEAST_SINE) return [];
    const on = onBoth(p, q);
    const t = (third.offsetM - dot(third.normal, on)) / across;
    return [[on[0] + t * u[0], on[1] + t * u[1], on[2] + t * u[2]]];
  }
  const on = onBoth(p, q);
  const d = sub(on, sphere.centre);
  const b = dot(d, u);
  const inside = b * b - (dot(d, d) - sphere.radiusM ** 2);
  const root = Math.sqrt(Math.max(0, inside));
  const at = (t: number): Vec3 => [on[0] + t * u[0], on[1] + t * u[1], on[2] + t * u[2]];
  return root < 1e-9 ? [at(-b)] : [at(-b - root), at(-b + root)];
}

/** A place on two planes. */
function onBoth(p: { normal: Vec3; offsetM: number }, q: { normal: Vec3; offsetM: number }): Vec3 {
  const c = dot(p.normal, q.normal);
  const det = 1 - c * c;
  const [s, t] = [(p.offsetM - c * q.offsetM) / det, (q.offsetM - c * p.offsetM) / det];
  return [s * p.normal[0] + t * q.normal[0], s * p.normal[1] + t * q.normal[1], s * p.normal[2] + t * q.normal[2]];
}
