import { median, sub, type Vec3 } from '../math';
import {
  adapterOf,
  bodiesOf,
  entersAt,
  hiddenFrom,
  inFrame,
  projectAt,
  projectionByPlace,
  studyMoments,
  trackNoisePx,
  type CameraMoment,
  type SetPiece,
  type SetupStudy,
  type WitnessCamera,
} from '../setup';
import { witnessMoment } from './place-witness';

export interface WitnessMoment {
  timeS: number;
  /** things to track that the witness sees, and those that both cameras see */
  seen: number;
  both: number;
  /** share of what the main camera sees of the set that the witness sees too, 0…1; null when the main camera sees none of it */
  overlap: number | null;
  /** between the two rays at the subject: what the main camera is focused on */
  angleDeg: number;
  /** middle one of the points that both see, in its worst direction; null when there are none */
  sigmaM: number | null;
}

/** A point that both cameras see at some moment. */
export interface SharedPoint {
  id: string;
  mark: boolean;
  /** share of the moments at which both see it, 0…1 */
  share: number;
  /** in its worst direction, at the middle one of those moments */
  sigmaM: number;
}

export interface WitnessWatch {
  /** as the witness sees it, at the same moments */
  study: SetupStudy;
  moments: WitnessMoment[];
  shared: SharedPoint[];
}

/** Rays over the main picture by which the overlap is counted. */
const RAYS_ACROSS = 12;
const RAYS_UP = 8;
/** Rays that go on for so long hit nothing of the set. */
const FAR_M = 1000;

/**
 * What a witness camera adds to the main one, moment by moment.
 * Overlap    rays through a raster of the main picture to the nearest piece of the set; the share of their ends that lie in the witness's
 *            frame and are not hidden from it.
 * Precision  a point seen by both at one moment is cut from two rays whose cameras are known: covariance = (Σ JᵀJ / σ²)⁻¹ with J the
 *            derivative of the picture place by the point and σ the one-axis noise of a track; given is the root of its largest eigenvalue, the sigma in
 *            its worst direction. What moves is seen at one moment only, so this is what the pair says of it.
 * Source     Förstner & Wrobel, Photogrammetric Computer Vision (2016), sec. 13.4 (triangulation and its uncertainty); eigenvalues of a
 *            symmetric 3 × 3 matrix: O. K. Smith, Comm. ACM 4 (1961) 168.
 */
export function watchWitness(main: SetupStudy, camera: WitnessCamera): WitnessWatch {
  // its stop and focus are its own affair: nothing of it is called soft
  const setup = { ...main.setup, optics: camera.optics, stop: null };
  const study = studyMoments(
    setup,
    main.moments.map((m) => witnessMoment(camera, m)),
  );
  const n = main.points.length;
  const sigmasOf: number[][] = main.points.map(() => []);
  const information = new Float64Array(6);
  const bodies = bodiesOf(main.setup);
  const moments = main.moments.map((moment, m): WitnessMoment => {
    let seen = 0,
      both = 0;
    const sigmas: number[] = [];
    for (let p = 0; p < n; p += 1) {
      if (!study.seen[m * n + p]) continue;
      seen += 1;
      if (!main.seen[m * n + p]) continue;
      both += 1;
      information.fill(0);
      addView(main, m, p, information);
      addView(study, m, p, information);
      const sigma = 1 / Math.sqrt(Math.max(1e-18, smallestEigenvalue(information)));
      sigmas.push(sigma);
      sigmasOf[p].push(sigma);
    }
    return {
      timeS: moment.timeS,
      seen,
      both,
      overlap: overlapAt(main, study, m, bodies),
      angleDeg: angleAtSubject(moment, study.moments[m].position),
      sigmaM: sigmas.length > 0 ? median(sigmas) : null,
    };
  });
  const shared = main.points.flatMap((point, p): SharedPoint[] =>
    sigmasOf[p].length > 0 ? [{ id: point.id, mark: point.mark, share: sigmasOf[p].length / main.moments.length, sigmaM: median(sigmasOf[p]) }] : [],
  );
  return { study, moments, shared };
}

const jacobian = new Float64Array(6);
/** Adds what one camera's view says of a point: xx, xy, xz, yy, yz, zz. */
function addView(study: SetupStudy, m: number, p: number, out: Float64Array): void {
  const { geometry, setup } = study;
  const i = m * study.points.length + p;
  const mm = study.tracked[m].focalMm * adapterOf(setup);
  const [fx, fy] = [mm * geometry.pxPerMmX, mm * geometry.pxPerMmY];
  const z = study.depthM[i];
  projectionByPlace(study.tracked[m].toCamera, fx / z, fy / z, (study.xPx[i] - geometry.centerXPx) / fx, (study.yPx[i] - geometry.centerYPx) / fy, jacobian);
  const weight = 1 / trackNoisePx(setup, study.points[p]) ** 2;
  for (let a = 0, k = 0; a < 3; a += 1) for (let b = a; b < 3; b += 1, k += 1) out[k] += weight * (jacobian[a] * jacobian[b] + jacobian[3 + a] * jacobian[3 + b]);
}

/** Of a symmetric matrix xx, xy, xz, yy, yz, zz, by its characteristic polynomial's cosine form. */
function smallestEigenvalue([xx, xy, xz, yy, yz, zz]: Float64Array): number {
  const mean = (xx + yy + zz) / 3;
  const [a, b, c] = [xx - mean, yy - mean, zz - mean];
  const spread = Math.sqrt((a * a + b * b + c * c + 2 * (xy * xy + xz * xz + yz * yz)) / 6);
  if (spread === 0) return mean;
  const det = (a * (b * c - yz * yz) - xy * (xy * c - yz * xz) + xz * (xy * yz - b * xz)) / spread ** 3;
  const angle = Math.acos(Math.max(-1, Math.min(1, det / 2))) / 3;
  return mean + 2 * spread * Math.cos(angle + (2 * Math.PI) / 3);
}

function angleAtSubject(main: CameraMoment, witness: Vec3): number {
  const forward: Vec3 = [main.toCamera[6], main.toCamera[7], main.toCamera[8]];
  const back: Vec3 = [-forward[0], -forward[1], -forward[2]];
  const subject: Vec3 = [0, 1, 2].map((a) => main.position[a] + main.focusM * forward[a]) as unknown as Vec3;
  const d = sub(witness, subject);
  const length = Math.hypot(...d);
  if (length < 1e-9) return 0;
  return (180 / Math.PI) * Math.acos(Math.max(-1, Math.min(1, (back[0] * d[0] + back[1] * d[1] + back[2] * d[2]) / length)));
}

const place = new Float64Array(3);
// written anew for each ray: a drag asks for thousands of them
const far: [number, number, number] = [0, 0, 0];
const end: [number, number, number] = [0, 0, 0];

function overlapAt(main: SetupStudy, witness: SetupStudy, m: number, bodies: readonly SetPiece[]): number | null {
  const { geometry } = main;
  const eye = main.tracked[m];
  const other = witness.tracked[m];
  const mm = eye.focalMm * adapterOf(main.setup);
  const otherMm = other.focalMm * adapterOf(witness.setup);
  const r = eye.toCamera;
  let hit = 0,
    common = 0;
  for (let j = 0; j < RAYS_UP; j += 1)
    for (let i = 0; i < RAYS_ACROSS; i += 1) {
      const a = (((i + 0.5) / RAYS_ACROSS) * geometry.widthPx - geometry.centerXPx) / (mm * geometry.pxPerMmX);
      const b = (((j + 0.5) / RAYS_UP) * geometry.heightPx - geometry.centerYPx) / (mm * geometry.pxPerMmY);
      for (let c = 0; c < 3; c += 1) far[c] = eye.position[c] + FAR_M * (r[c] * a + r[3 + c] * b + r[6 + c]);
      let nearest = 2;
      for (const body of bodies) {
        const t = entersAt(body, eye.position, far);
        // a camera inside a thing sees nothing of it
        if (t > 0 && t < nearest) nearest = t;
      }
      if (nearest > 1) continue;
      hit += 1;
      for (let c = 0; c < 3; c += 1) end[c] = eye.position[c] + nearest * (far[c] - eye.position[c]);
      projectAt(witness.geometry, otherMm, other, end, place);
      if (inFrame(witness.geometry, place) && !hiddenFrom(bodies, other.position, end)) common += 1;
    }
  return hit > 0 ? common / hit : null;
}
