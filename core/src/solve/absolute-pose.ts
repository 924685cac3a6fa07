import { EVD, Matrix } from 'ml-matrix';
import { dampedStep, descend } from '../estimate';
import { expSO3, mulMat3, mulMatVec, sampleIndices, umeyama, type Mat3, type Vec3 } from '../math';

/** World to camera: Xc = R X + t. */
export interface Pose {
  rotation: Mat3;
  translation: Vec3;
}

/** A known point and the slopes under which it is seen. */
export interface Sighting {
  point: Vec3;
  x: number;
  y: number;
}

/**
 * Camera poses from three sightings.
 * Source  Grunert 1841 in the form of Haralick, Lee, Ottenberg, Nölle, Review and analysis of solutions of the three point perspective
 *         pose estimation problem, IJCV 13(3), 1994, eq. 9; the quartic by the eigenvalues of its companion matrix.
 */
export function threePointPose(s: readonly Sighting[]): Pose[] {
  const ray = (q: Sighting): Vec3 => {
    const n = Math.hypot(q.x, q.y, 1);
    return [q.x / n, q.y / n, 1 / n];
  };
  const j = s.map(ray);
  const d2 = (p: Vec3, q: Vec3) => (p[0] - q[0]) ** 2 + (p[1] - q[1]) ** 2 + (p[2] - q[2]) ** 2;
  const cosine = (p: Vec3, q: Vec3) => p[0] * q[0] + p[1] * q[1] + p[2] * q[2];
  const a2 = d2(s[1].point, s[2].point),
    b2 = d2(s[0].point, s[2].point),
    c2 = d2(s[0].point, s[1].point);
  if (!(Math.min(a2, b2, c2) > 0)) return [];
  const ca = cosine(j[1], j[2]),
    cb = cosine(j[0], j[2]),
    cg = cosine(j[0], j[1]);
  const q = (a2 - c2) / b2,
    sum = (a2 + c2) / b2;
  const a4 = (q - 1) ** 2 - ((4 * c2) / b2) * ca * ca;
  const a3 = 4 * (q * (1 - q) * cb - (1 - sum) * ca * cg + ((2 * c2) / b2) * ca * ca * cb);
  const a2c = 2 * (q * q - 1 + 2 * q * q * cb * cb + 2 * ((b2 - c2) / b2) * ca * ca - 4 * sum * ca * cb * cg + 2 * ((b2 - a2) / b2) * cg * cg);
  const a1 = 4 * (-q * (1 + q) * cb + ((2 * a2) / b2) * cg * cg * cb - (1 - sum) * ca * cg);
  const a0 = (1 + q) ** 2 - ((4 * a2) / b2) * cg * cg;
  if (Math.abs(a4) < 1e-12) return [];
  const evd = new EVD(
    new Matrix([
      [-a3 / a4, -a2c / a4, -a1 / a4, -a0 / a4],
      [1, 0, 0, 0],
      [0, 1, 0, 0],
      [0, 0, 1, 0],
    ]),
  );
  const poses: Pose[] = [];
  for (let k = 0; k < 4; k += 1) {
    const v = evd.realEigenvalues[k];
    if (Math.abs(evd.imaginaryEigenvalues[k]) > 1e-4 * (1 + Math.abs(v)) || v <= 0) continue;
    const u = ((q - 1) * v * v - 2 * q * cb * v + 1 + q) / (2 * (cg - v * ca));
    const s1 = Math.sqrt(b2 / (1 + v * v - 2 * v * cb));
    if (!(u > 0) || !Number.isFinite(s1)) continue;
    const camera = [s1, u * s1, v * s1].map((m, i): Vec3 => [m * j[i][0], m * j[i][1], m * j[i][2]]);
    const { rotation, translation } = umeyama(
      s.map((p) => p.point),
      camera,
      false,
    );
    poses.push({ rotation, translation });
  }
  return poses;
}

export function slopeError(pose: Pose, s: Sighting): number {
  const c = mulMatVec(pose.rotation, s.point);
  const z = c[2] + pose.translation[2];
  return z > 1e-9 ? Math.hypot((c[0] + pose.translation[0]) / z - s.x, (c[1] + pose.translation[1]) / z - s.y) : Infinity;
}

/** Robust pose by sampling three sightings; the caller refines it. */
export function samplePose(sightings: readonly Sighting[], capSlope: number, random: () => number, rounds = 64): Pose | null {
  if (sightings.length < 4) return null;
  let best: Pose | null = null;
  let bestCost = Infinity;
  for (let round = 0; round < rounds; round += 1) {
    for (const pose of threePointPose(sampleIndices(sightings.length, 3, random).map((i) => sightings[i]))) {
      let cost = 0;
      for (const s of sightings) cost += Math.min(capSlope, slopeError(pose, s)) ** 2;
      if (cost < bestCost) {
        bestCost = cost;
        best = pose;
      }
    }
  }
  return best;
}

const ENOUGH = 1e-6;

/** Refines a pose against known points: least squares on slopes with Huber weights at `huberSlope`, until the cost falls by less than 1e-6 of itself. */
export function refinePose(start: Pose, sightings: readonly Sighting[], huberSlope: number, maxIterations = 12): { pose: Pose; inliers: number; cost: number } {
  const n = sightings.length;
  const h = new Float64Array(36);
  const g = new Float64Array(6);
  const ju = new Float64Array(6);
  const jv = new Float64Array(6);
  const evaluate = (p: Pose, build: boolean): { cost: number; inliers: number } => {
    let cost = 0;
    let inliers = 0;
    if (build) {
      h.fill(0);
      g.fill(0);
    }
    const { rotation: r, translation: t } = p;
    for (let i = 0; i < n; i += 1) {
      const s = sightings[i];
      const X = s.point;
      const y0 = r[0] * X[0] + r[1] * X[1] + r[2] * X[2],
        y1 = r[3] * X[0] + r[4] * X[1] + r[5] * X[2],
        y2 = r[6] * X[0] + r[7] * X[1] + r[8] * X[2];
      const z = y2 + t[2];
      if (z < 1e-9) {
        cost += huberSlope * 10;
        continue;
      }
      const zi = 1 / z;
      const x = (y0 + t[0]) * zi,
        y = (y1 + t[1]) * zi;
      const ru = x - s.x,
        rv = y - s.y;
      const e = Math.hypot(ru, rv);
      const inside = e <= huberSlope;
      cost += inside ? e * e : huberSlope * (2 * e - huberSlope);
      if (e <= 2 * huberSlope) inliers += 1;
      if (!build) continue;
      const w = inside ? 1 : huberSlope / e;
      ju[3] = zi;
      ju[4] = 0;
      ju[5] = -x * zi;
      jv[3] = 0;
      jv[4] = zi;
      jv[5] = -y * zi;
      ju[0] = ju[5] * y1;
      ju[1] = zi * y2 - ju[5] * y0;
      ju[2] = -zi * y1;
      jv[0] = jv[5] * y1 - zi * y2;
      jv[1] = -jv[5] * y0;
      jv[2] = zi * y0;
      for (let a = 0; a < 6; a += 1) {
        g[a] += w * (ju[a] * ru + jv[a] * rv);
        for (let b = 0; b <= a; b += 1) h[a * 6 + b] += w * (ju[a] * ju[b] + jv[a] * jv[b]);
      }
    }
    return { cost, inliers };
  };
  let inliers = 0;
  const { x: pose, finalCost: cost } = descend<Pose, 'cost'>(
    {
      linearise(p) {
        const now = evaluate(p, true);
        ({ inliers } = now);
        return now.cost;
      },
      step({ rotation, translation: t }, damping) {
        const d = dampedStep(h, g, 6, damping);
        if (!d) return null;
        return { to: { rotation: mulMat3(expSO3([d[0], d[1], d[2]]), rotation), translation: [t[0] + d[3], t[1] + d[4], t[2] + d[5]] }, promised: 0 };
      },
      costAt: (p) => evaluate(p, false).cost,
    },
    start,
    {
      maxIterations,
      damping: {
        first: 1e-6,
        most: 1e6,
        falls: ({ damping }) => Math.max(1e-9, damping / 10),
        rises: (damping, _nth, singular) => (singular ? Math.max(damping * 10, 1e-6) : Math.max(damping, 1e-7) * 30),
      },
      ends: ({ taken, fall, cost: before }) => (taken && fall < ENOUGH * before ? 'cost' : null),
    },
  );
  return { pose, inliers, cost };
}
