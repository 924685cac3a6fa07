import type { Vec3 } from './vec3';

/** How places lie over the ground: their middle and the sums of squares and products about it, m². */
export interface GroundScatter {
  meanX: number;
  meanZ: number;
  xx: number;
  xz: number;
  zz: number;
}

export function groundScatter(places: readonly Vec3[]): GroundScatter {
  const n = Math.max(1, places.length);
  const meanX = places.reduce((s, p) => s + p[0], 0) / n;
  const meanZ = places.reduce((s, p) => s + p[2], 0) / n;
  let xx = 0,
    xz = 0,
    zz = 0;
  for (const p of places) {
    const [x, z] = [p[0] - meanX, p[2] - meanZ];
    xx += x * x;
    xz += x * z;
    zz += z * z;
  }
  return { meanX, meanZ, xx, xz, zz };
}
