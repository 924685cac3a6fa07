import { cross, norm, sub, type Vec3 } from './vec3';

/** Do places lie on one line? None is off it by more than `share` of how far they reach; fewer than three always do. */
export function inLine(places: readonly Vec3[], share = 0.02): boolean {
  const [first] = places;
  const from = places.map((p) => sub(p, first));
  const far = from.reduce<Vec3>((most, v) => (norm(v) > norm(most) ? v : most), [0, 0, 0]);
  const length = norm(far);
  return length === 0 || from.every((v) => norm(cross(v, far)) / length < share * length);
}
