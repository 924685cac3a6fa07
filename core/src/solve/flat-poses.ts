import { Matrix, SVD } from 'ml-matrix';
import { cross, det3, dot, homographyOrNone, median, mulMat3, mulMatVec, rotationAngle, scale, sub, transpose3, type Mat3, type Vec3 } from '../math';
import type { SlopePair } from './five-point';
import type { PairPose } from './relative-pose';

/** Rounds in which pairs that no plane carries are left out, beyond so many medians. */
const ROUNDS = 4;
const BEYOND_MEDIANS = 3;
/** Turns and directions that lie nearer to each other than this, together, are one: an adjustment brings them there. */
const SAME_RAD = 0.05;
/** Of the squares of a homography's stretch: below it the cameras stood on one spot, and nothing is left open. */
const LEAST_STRETCH = 1e-6;

/**
 * Two pictures of a flat thing fit one or two poses of the second camera with the thing before both, and a third one, edge-on, that an essential matrix
 * takes for as good. Those that are not the one that was found; none where the pairs do not lie on a plane.
 * @param pairs slopes of the same points in both pictures
 * @param found by an essential matrix
 * @param capSlope a plane carries the pairs when half of them lie within this of where it says, slopes
 * Source  the four decompositions of a homography, two of them with the plane before the camera: Ma, Soatto, Košecká, Sastry, An Invitation to 3-D
 *         Vision, 2004, sec. 5.3.3.
 */
export function flatPoses(pairs: readonly SlopePair[], found: PairPose, capSlope: number): PairPose[] {
  const h = planeOf(pairs, capSlope);
  if (!h) return [];
  return decomposed(h, pairs).filter((p) => rotationAngle(p.rotation, found.rotation) + directionsApart(p.translation, found.translation) > SAME_RAD);
}

const directionsApart = (a: Vec3, b: Vec3): number => Math.acos(Math.min(1, Math.max(-1, dot(a, b) / Math.sqrt(dot(a, a) * dot(b, b) + 1e-300))));

/** Homography between the slopes, of the pairs that hold together on a plane. */
function planeOf(pairs: readonly SlopePair[], capSlope: number): Mat3 | null {
  let used = pairs;
  for (let round = 0; ; round += 1) {
    const h = homographyOrNone(used.map((p) => ({ from: [p.x1, p.y1], to: [p.x2, p.y2] })));
    if (!h) return null;
    const off = pairs.map((p) => offBy(h, p));
    const middle = median(off);
    if (round === ROUNDS) return middle < capSlope ? h : null;
    used = pairs.filter((_, i) => off[i] <= Math.max(BEYOND_MEDIANS * middle, 1e-9));
  }
}

function offBy(h: Mat3, p: SlopePair): number {
  const [x, y, w] = mulMatVec(h, [p.x1, p.y1, 1]);
  return Math.hypot(x / w - p.x2, y / w - p.y2);
}

/** The poses with the whole thing before both cameras: H = R + t nᵀ, n the plane of unit distance. */
function decomposed(h: Mat3, pairs: readonly SlopePair[]): PairPose[] {
  const svd = new SVD(Matrix.from1DArray(3, 3, [...h]));
  // of unit middle stretch, and with the points before both cameras
  const sign = pairs.filter((p) => dot([p.x2, p.y2, 1], mulMatVec(h, [p.x1, p.y1, 1])) > 0).length > pairs.length / 2 ? 1 : -1;
  const unit = h.map((v) => (sign * v) / svd.diagonal[1]) as unknown as Mat3;
  const [long, short] = [(svd.diagonal[0] / svd.diagonal[1]) ** 2, (svd.diagonal[2] / svd.diagonal[1]) ** 2];
  if (long - short < LEAST_STRETCH) return [];
  const v = [0, 1, 2].map((k) => [0, 1, 2].map((i) => svd.rightSingularVectors.get(i, k)) as unknown as Vec3);
  // a right-handed set: the products below count on it
  if (det3([...v[0], ...v[1], ...v[2]] as unknown as Mat3) < 0) v[1] = scale(v[1], -1);
  const [a, b] = [Math.sqrt(Math.max(0, 1 - short)), Math.sqrt(Math.max(0, long - 1))];
  return [1, -1].flatMap((side): PairPose[] => {
    const u = [0, 1, 2].map((k) => (a * v[0][k] + side * b * v[2][k]) / Math.sqrt(long - short)) as unknown as Vec3;
    const normal = cross(v[1], u);
    const [hv, hu] = [mulMatVec(unit, v[1]), mulMatVec(unit, u)];
    const rotation = mulMat3(columns(hv, hu, cross(hv, hu)), transpose3(columns(v[1], u, normal)));
    const moved = sub(mulMatVec(unit, normal), mulMatVec(rotation, normal));
    const before = pairs.filter((p) => dot(normal, [p.x1, p.y1, 1]) > 0).length;
    // the plane cuts through what is seen: no camera sees it so
    if (before > 0.1 * pairs.length && before < 0.9 * pairs.length) return [];
    const length = Math.sqrt(dot(moved, moved));
    return length < 1e-9 ? [] : [{ rotation, translation: scale(moved, (before > pairs.length / 2 ? 1 : -1) / length) }];
  });
}

const columns = (a: Vec3, b: Vec3, c: Vec3): Mat3 => [a[0], b[0], c[0], a[1], b[1], c[1], a[2], b[2], c[2]];
