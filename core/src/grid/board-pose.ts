import { CoreError } from '../errors';
import { homography, type Mat3, type Vec3 } from '../math';
import type { GridFrame, GridObservation } from './observation';

/** A chart before the camera, in cells: camera = rotation · (col, row, 0) + translation. */
export interface BoardPose {
  rotation: Mat3;
  translation: Vec3;
}

/** Board poses from a homography over the least distorted part, the corners nearest to the middle of the picture. */
export function startPoses(observations: readonly GridObservation[], frame: GridFrame, plateCount: number): BoardPose[] {
  return Array.from({ length: plateCount }, (_, plate) => {
    const mine = observations.filter((o) => o.plate === plate);
    if (mine.length < 12) throw new CoreError('TOO_FEW_OBSERVATIONS', `Plate ${plate + 1} has ${mine.length} corners; at least 12 are needed`);
    const middle = [...mine].sort((a, b) => radius(a, frame) - radius(b, frame)).slice(0, Math.max(12, Math.round(mine.length * 0.3)));
    const h = homography(
      middle.map((o) => ({
        from: [o.col, o.row] as const,
        to: [(o.x - frame.widthPx / 2) / frame.fxPx, (o.y - frame.heightPx / 2) / frame.fyPx] as const,
      })),
    );
    return poseFromHomography(h);
  });
}

const radius = (o: GridObservation, f: GridFrame) => Math.hypot(o.x - f.widthPx / 2, o.y - f.heightPx / 2);

/** Zhang 2000, sec. 3.1: columns of H are r1, r2 and t up to scale; made orthonormal by halving the error between r1 and r2. */
function poseFromHomography(h: Mat3): BoardPose {
  let s = 2 / (Math.hypot(h[0], h[3], h[6]) + Math.hypot(h[1], h[4], h[7]));
  if (h[8] * s < 0) s = -s;
  const a: Vec3 = [h[0] * s, h[3] * s, h[6] * s];
  const b: Vec3 = [h[1] * s, h[4] * s, h[7] * s];
  const unit = (v: Vec3): Vec3 => {
    const m = Math.hypot(...v);
    return [v[0] / m, v[1] / m, v[2] / m];
  };
  const plus = unit([unit(a)[0] + unit(b)[0], unit(a)[1] + unit(b)[1], unit(a)[2] + unit(b)[2]]);
  const minus = unit([unit(a)[0] - unit(b)[0], unit(a)[1] - unit(b)[1], unit(a)[2] - unit(b)[2]]);
  const q = Math.SQRT1_2;
  const r1: Vec3 = [q * (plus[0] + minus[0]), q * (plus[1] + minus[1]), q * (plus[2] + minus[2])];
  const r2: Vec3 = [q * (plus[0] - minus[0]), q * (plus[1] - minus[1]), q * (plus[2] - minus[2])];
  const r3: Vec3 = [r1[1] * r2[2] - r1[2] * r2[1], r1[2] * r2[0] - r1[0] * r2[2], r1[0] * r2[1] - r1[1] * r2[0]];
  const rotation: Mat3 = [r1[0], r2[0], r3[0], r1[1], r2[1], r3[1], r1[2], r2[2], r3[2]];
  return { rotation, translation: [h[2] * s, h[5] * s, h[8] * s] };
}
