import { CoreError } from '../errors';
import { leastSquares, type LeastSquaresProblem } from '../estimate';
import { median, mulMatTVec, type Vec3 } from '../math';
import { toCameraOf } from '../setup';
import { PICTURE, type Warning } from '../warnings';

/** A length that was measured on the set and is seen in the photo. */
export interface PhotoLength {
  /** ground: both ends lie on the floor; upright: a stands on the floor, b is straight above it */
  kind: 'ground' | 'upright';
  /** px of the photo */
  a: { x: number; y: number };
  b: { x: number; y: number };
  m: number;
  sigmaM: number;
}

export interface RecceInput {
  widthPx: number;
  heightPx: number;
  focalPx: number;
  /** share of the focal length by which it may be off; 0: it is known */
  sigmaFocalShare: number;
  lengths: readonly PhotoLength[];
  /** one-axis noise of a finger on a picture; default a fifteen-hundredth of the width */
  sigmaPx?: number;
}

export interface PhotoMeasure {
  /** poor: the lengths do not fix the camera well, or contradict each other */
  status: 'usable' | 'poor';
  heightM: number;
  sigmaHeightM: number;
  tiltRad: number;
  sigmaTiltRad: number;
  rollRad: number;
  focalPx: number;
  sigmaFocalPx: number;
  /** ends of the lengths, the camera above the origin, looking along −Z */
  ends: { a: Vec3; b: Vec3 }[];
  /** what each length comes out as, in the order given */
  lengthsM: number[];
  warnings: Warning[];
}

/** A photo is held level to about so much; the lengths correct it. */
const ROLL_SIGMA_RAD = (3 * Math.PI) / 180;
const LEAST_ROWS = 3;
const POOR_HEIGHT_SHARE = 0.15;
const CONTRADICTS = 3;
const MOST_TILT_DEG = 75;

/**
 * Where a photo was taken from, by lengths that are known on a level floor.
 * Model    pinhole with its principal point in the middle, no distortion; unknown are height, tilt, roll and, where it is not known, the
 *          focal length. Ends on the floor are cut from ray and plane y = 0. A ground length gives one row, the difference to its measure over its sigma with
 *          the finger's noise carried along; an upright thing gives two, where its top should be in the picture. Roll is near 0 beforehand.
 * Method   Levenberg–Marquardt from tilts all over, the height set to suit; the cheapest end counts.
 * Source   Criminisi, Reid, Zisserman, Single View Metrology, IJCV 40 (2000), for measuring in one picture by plane and vertical.
 * @throws CoreError TOO_FEW_OBSERVATIONS | INVALID_OPTION | NON_FINITE_INPUT
 */
export function measurePhoto(input: RecceInput): PhotoMeasure {
  check(input);
  const photo = photoOf(input);
  let best: { x: Float64Array; cost: number; covariance: Float64Array } | null = null;
  for (let tiltDeg = -MOST_TILT_DEG; tiltDeg <= 20; tiltDeg += 5) {
    const start = startAt(photo, (tiltDeg * Math.PI) / 180);
    if (!start) continue;
    const fit = leastSquares(start, { rows: rowsOf(photo) });
    if (fit.status !== 'failed' && fit.rank === photo.n && residualsOf(photo, fit.x) && (best === null || fit.finalCost < best.cost))
      best = { x: fit.x, cost: fit.finalCost, covariance: fit.covariance };
  }
  if (!best) throw new CoreError('INVALID_OPTION', 'No camera over a level floor sees these lengths so. Are the ends on the floor, and the upright ones marked from foot to top?', 'lengths');
  return measured(photo, best.x, best.covariance);
}

/** What is known of the photo. Unknown are log height, tilt, roll and, where it is free, the log of the focal length. */
interface Photo extends RecceInput {
  sigmaPx: number;
  freeFocal: boolean;
  /** unknowns */
  n: number;
}
type Unknowns = ArrayLike<number>;
interface Spot {
  x: number;
  y: number;
}

function photoOf(input: RecceInput): Photo {
  const freeFocal = input.sigmaFocalShare > 0;
  return { ...input, sigmaPx: input.sigmaPx ?? Math.max(1, input.widthPx / 1500), freeFocal, n: freeFocal ? 4 : 3 };
}

const poseOf = ({ freeFocal, focalPx }: Photo, x: Unknowns) => ({ heightM: Math.exp(x[0]), toCamera: toCameraOf(0, x[1], x[2]), focal: freeFocal ? Math.exp(x[3]) : focalPx });

/** Of a place in the picture its ray, in axes of the floor. */
function rayOf(photo: Photo, x: Unknowns, p: Spot): Vec3 {
  const { toCamera, focal } = poseOf(photo, x);
  return mulMatTVec(toCamera, [(p.x - photo.widthPx / 2) / focal, (p.y - photo.heightPx / 2) / focal, 1]);
}

/** Where the ray meets the floor; null: it does not. */
function floorAt(photo: Photo, x: Unknowns, p: Spot): Vec3 | null {
  const d = rayOf(photo, x, p);
  // a hundredth below the horizon is as good as never
  if (d[1] > -0.01) return null;
  const t = -poseOf(photo, x).heightM / d[1];
  return [t * d[0], 0, t * d[2]];
}

const onFloor = (a: Vec3, b: Vec3): number => Math.hypot(b[0] - a[0], b[2] - a[2]);

/** What the finger's noise makes of a length on the floor, m. */
function fingerM(photo: Photo, x: Unknowns, l: PhotoLength, length: number): number {
  let variance = 0;
  for (const end of ['a', 'b'] as const)
    for (const axis of ['x', 'y'] as const) {
      const moved = { ...l, [end]: { ...l[end], [axis]: l[end][axis] + photo.sigmaPx } };
      const [a, b] = [floorAt(photo, x, moved.a), floorAt(photo, x, moved.b)];
      variance += a && b ? (onFloor(a, b) - length) ** 2 : length ** 2;
    }
  return Math.sqrt(variance);
}

/** Differences over their sigmas; null: an end lies behind the horizon, or a top behind the camera. */
function residualsOf(photo: Photo, x: Unknowns): number[] | null {
  const { heightM, toCamera: r, focal } = poseOf(photo, x);
  const touchPx = Math.SQRT2 * photo.sigmaPx;
  const out: number[] = [];
  for (const l of photo.lengths) {
    const a = floorAt(photo, x, l.a);
    if (!a) return null;
    if (l.kind === 'ground') {
      const b = floorAt(photo, x, l.b);
      if (!b) return null;
      const length = onFloor(a, b);
      out.push((length - l.m) / Math.hypot(l.sigmaM, fingerM(photo, x, l, length)));
      continue;
    }
    const top: Vec3 = [a[0], l.m - heightM, a[2]];
    const z = r[6] * top[0] + r[7] * top[1] + r[8] * top[2];
    if (z < 0.05) return null;
    const u = photo.widthPx / 2 + (focal * (r[0] * top[0] + r[1] * top[1] + r[2] * top[2])) / z;
    const v = photo.heightPx / 2 + (focal * (r[3] * top[0] + r[4] * top[1] + r[5] * top[2])) / z;
    out.push((u - l.b.x) / touchPx, (v - l.b.y) / Math.hypot(touchPx, (focal * l.sigmaM) / z));
  }
  out.push(x[2] / ROLL_SIGMA_RAD);
  if (photo.freeFocal) out.push((x[3] - Math.log(photo.focalPx)) / photo.sigmaFocalShare);
  return out;
}

const STEP = 1e-5;
/** The same as rows of the adjustment, with derivatives by differences. */
const rowsOf =
  (photo: Photo): LeastSquaresProblem['rows'] =>
  (x, row, derivatives) => {
    const jac = new Float64Array(photo.n);
    const now = residualsOf(photo, x);
    // behind the horizon there is no floor: as bad as can be
    if (!now) {
      row(1e6, jac);
      return;
    }
    const moved = derivatives ? Array.from({ length: photo.n }, (_, k) => [stepped(x, k, STEP), stepped(x, k, -STEP)].map((at) => residualsOf(photo, at))) : [];
    now.forEach((v, i) => {
      for (let k = 0; k < moved.length; k += 1) jac[k] = moved[k][0] && moved[k][1] ? (moved[k][0]![i] - moved[k][1]![i]) / (2 * STEP) : 0;
      row(v, jac);
    });
  };

/** At a tilt, the height set to suit the lengths on the floor; null: the floor is not where their ends are. */
function startAt(photo: Photo, tilt: number): Float64Array | null {
  const x = Float64Array.from(photo.freeFocal ? [0, tilt, 0, Math.log(photo.focalPx)] : [0, tilt, 0]);
  const ratios: number[] = [];
  for (const l of photo.lengths) {
    const [a, b] = [floorAt(photo, x, l.a), l.kind === 'ground' ? floorAt(photo, x, l.b) : null];
    if (!a || (l.kind === 'ground' && !b)) return null;
    if (b) ratios.push(l.m / Math.max(1e-9, onFloor(a, b)));
  }
  // without a length on the floor: as a person holds it
  x[0] = Math.log(ratios.length > 0 ? median(ratios) : 1.6);
  return x;
}

/** Height over its foot at which the vertical comes nearest to the ray through the marked top. */
function uprightM(photo: Photo, x: Unknowns, l: PhotoLength, foot: Vec3): number {
  const d = rayOf(photo, x, l.b);
  const reach = (foot[0] * d[0] + foot[2] * d[2]) / (d[0] * d[0] + d[2] * d[2]);
  return poseOf(photo, x).heightM + reach * d[1];
}

function measured(photo: Photo, x: Float64Array, covariance: Float64Array): PhotoMeasure {
  const { lengths, n } = photo;
  const { heightM, focal } = poseOf(photo, x);
  const ends = lengths.map((l) => {
    const a = floorAt(photo, x, l.a)!;
    return { a, b: l.kind === 'ground' ? floorAt(photo, x, l.b)! : ([a[0], l.m, a[2]] as Vec3) };
  });
  const lengthsM = lengths.map((l, i) => (l.kind === 'ground' ? onFloor(ends[i].a, ends[i].b) : uprightM(photo, x, l, ends[i].a)));
  const sigmaHeightM = heightM * Math.sqrt(covariance[0]);
  const warnings: Warning[] = [];
  if (sigmaHeightM > POOR_HEIGHT_SHARE * heightM) warnings.push(PICTURE.LENGTHS_DO_NOT_FIX());
  lengths.forEach((l, i) => {
    const byFinger = l.kind === 'ground' ? fingerM(photo, x, l, lengthsM[i]) : (Math.SQRT2 * photo.sigmaPx * Math.hypot(...ends[i].a, heightM)) / focal;
    if (Math.abs(lengthsM[i] - l.m) > CONTRADICTS * Math.hypot(l.sigmaM, byFinger)) warnings.push(PICTURE.LENGTH_DOES_NOT_FIT(i + 1, lengthsM[i], l.m));
  });
  return {
    status: warnings.length > 0 ? 'poor' : 'usable',
    heightM,
    sigmaHeightM,
    tiltRad: x[1],
    sigmaTiltRad: Math.sqrt(covariance[n + 1]),
    rollRad: x[2],
    focalPx: focal,
    sigmaFocalPx: photo.freeFocal ? focal * Math.sqrt(covariance[3 * n + 3]) : 0,
    ends,
    lengthsM,
    warnings,
  };
}

const stepped = (x: Float64Array, k: number, by: number): Float64Array => {
  const out = x.slice();
  out[k] += by;
  return out;
};

function check({ lengths, focalPx, widthPx, heightPx, sigmaFocalShare }: RecceInput): void {
  if (!(focalPx > 0 && widthPx > 0 && heightPx > 0)) throw new CoreError('INVALID_OPTION', `A picture of ${widthPx} × ${heightPx} px with a focal length of ${focalPx} px cannot be`, 'focalPx');
  lengths.forEach((l, i) => {
    if (![l.a.x, l.a.y, l.b.x, l.b.y, l.m, l.sigmaM].every(Number.isFinite)) throw new CoreError('NON_FINITE_INPUT', `Length ${i + 1} is not made of numbers`, `lengths[${i}]`);
    if (!(l.m > 0 && l.sigmaM > 0)) throw new CoreError('INVALID_OPTION', `Length ${i + 1} is ${l.m} ± ${l.sigmaM} m; both must be above 0`, `lengths[${i}].m`);
    if (Math.hypot(l.a.x - l.b.x, l.a.y - l.b.y) < 2) throw new CoreError('INVALID_OPTION', `The ends of length ${i + 1} lie on one place of the photo`, `lengths[${i}]`);
  });
  // roll is known beforehand: height and tilt remain, and the focal length where it is not known
  const rows = lengths.reduce((sum, l) => sum + (l.kind === 'ground' ? 1 : 2), 0);
  if (rows < LEAST_ROWS)
    throw new CoreError(
      'TOO_FEW_OBSERVATIONS',
      `${lengths.length} length${lengths.length === 1 ? '' : 's'} of at least three: two on the floor in different directions, and something upright, do well`,
      'lengths',
    );
  if (!(sigmaFocalShare >= 0 && sigmaFocalShare < 1)) throw new CoreError('INVALID_OPTION', `A focal length off by ${sigmaFocalShare} of itself is none`, 'sigmaFocalShare');
}
