import { coefficientsOf, distortWith, expSO3Into } from './kernels';
import { witnessAt, witnessRow, type PairRows, type RigUnknown } from './pair-rows';
import type { LensMap } from './setup';

/**
 * Bundle adjustment of free cameras with one focal length, or one that changes from camera to camera along smooth functions of time.
 * Model       Xc = R X + t; slope (X/Z, Y/Z); slope·f/g through the lens map; u = cx + g·pxPerMm·xd, where g is the length that the
 *             distortion is normalised with (see LensMap). Residual = (model − picture)·√weight, px.
 * Parameters  camera: rotation vector φ (R ← exp(φ)R), then t; point: X; where it zooms, factors z of the functions; last, where it is not held:
 *             focal length f in mm. Before them what of the lens is free: radial coefficients, principal point, how wide a pixel is. Of camera c it is f (p_c + Σ b_ck z_k), p the profile that is known so far.
 * Source      Triggs, McLauchlan, Hartley, Fitzgibbon, Bundle Adjustment – A Modern Synthesis, 1999, secs. 4–6.
 */
/** What of a lens may be found beside its focal length: radial coefficients, the principal point in px, and px a mm across over down. */
export type LensUnknown = 'k1' | 'k2' | 'k3' | 'cx' | 'cy' | 'ratio';
export interface FreeLensUnknown {
  name: LensUnknown | RigUnknown;
  /** what is known of it beforehand; its sigma is for residuals of unit noise */
  prior?: { value: number; sigma: number };
}

export interface BundleProblem {
  cameraCount: number;
  pointCount: number;
  camera: Int32Array;
  point: Int32Array;
  xPx: Float64Array;
  yPx: Float64Array;
  weight: Float64Array;
  lens: LensMap;
  /** the camera turns about its entrance pupil: translations stay nought, points are directions of unit length, of which the third coordinate is none */
  turnOnly?: boolean;
  /** focal length of each camera over the one that is common; missing: 1 */
  profile?: Float64Array;
  /** functions of time along which the profile may change, `count` for each camera; only where the common one is free */
  zoom?: { count: number; basis: Float64Array };
  /** found with the rest; the lens is a radial one where coefficients are among them */
  freeLens?: readonly FreeLensUnknown[];
  /** a second camera that the cameras carry */
  pair?: PairRows;
  /** `priorSigmaMm` for residuals of unit noise: the stated sigma over the noise in px */
  focal: { held: boolean; priorMm?: number; priorSigmaMm?: number };
}

export interface BundleState {
  rotations: Float64Array; // 9 a camera, row-major, world to camera
  translations: Float64Array; // 3 a camera
  points: Float64Array; // 3 a point, world
  focalMm: number;
  /** factors of the functions of time; missing: none */
  zoom?: Float64Array;
  /** of the free unknowns of the lens, in their order; missing: none */
  lens?: Float64Array;
}

export const copyState = (s: BundleState): BundleState => ({
  rotations: s.rotations.slice(),
  translations: s.translations.slice(),
  points: s.points.slice(),
  focalMm: s.focalMm,
  ...(s.zoom ? { zoom: s.zoom.slice() } : {}),
  ...(s.lens ? { lens: s.lens.slice() } : {}),
});

/** Focal length of a camera over the common one. */
export function profileAt(p: BundleProblem, s: BundleState, camera: number): number {
  let ratio = p.profile?.[camera] ?? 1;
  if (p.zoom && s.zoom) for (let k = 0; k < p.zoom.count; k += 1) ratio += p.zoom.basis[camera * p.zoom.count + k] * s.zoom[k];
  return ratio;
}

/** Residuals and derivatives of all observations, in flat arrays made once a problem. */
export class Linearisation {
  readonly residual: Float64Array; // 2 an observation
  readonly jCamera: Float64Array; // 2×6
  readonly jPoint: Float64Array; // 2×3
  readonly jFocal: Float64Array; // 2
  /** derivative by the factor k of camera c's functions of time, over that by the common focal length: at c · count + k */
  zoomOverFocal = new Float64Array(0);
  /** derivatives by the free coefficients of the lens, 2 × freeLens an observation: those of u, then of v */
  jLens = new Float64Array(0);
  /** @param derivatives false: residuals alone, a tenth of the memory */
  constructor(count: number, derivatives = true) {
    const slopes = derivatives ? count : 0;
    this.residual = new Float64Array(2 * count);
    this.jCamera = new Float64Array(12 * slopes);
    this.jPoint = new Float64Array(6 * slopes);
    this.jFocal = new Float64Array(2 * slopes);
  }
}

/** Residuals times the roots of their weights, px: u and v of each observation. */
export function residualsAt(p: BundleProblem, s: BundleState): Float64Array {
  const out = new Linearisation(p.camera.length, false);
  evaluateBundle(p, s, out, false);
  return out.residual;
}

/** Length of each residual, px. */
export function lengths(residual: Float64Array): Float64Array {
  const out = new Float64Array(residual.length / 2);
  for (let i = 0; i < out.length; i += 1) out[i] = Math.hypot(residual[2 * i], residual[2 * i + 1]);
  return out;
}

/** Where a residual cannot be computed (point behind the camera) it has this length, without a slope. */
const BEHIND_PX = 1e4;
const CENTRE_X = 10;
const CENTRE_Y = 11;
const RATIO = 12;
const KINDS: Readonly<Partial<Record<FreeLensUnknown['name'], number>>> = { k1: 0, k2: 1, k3: 2, cx: CENTRE_X, cy: CENTRE_Y, ratio: RATIO };
/** of the witness: nothing of it moves what the main camera sees */
const OF_THE_RIG = 20;
const d2 = new Float64Array(2);
const j4 = new Float64Array(4);
const c10 = new Float64Array(10);

/** The lens as the unknowns have it now. */
interface LensNow {
  cx: number;
  cy: number;
  pxPerMmX: number;
  coefficients: Float64Array;
  /** of each free unknown a coefficient by its number, else CENTRE_X, CENTRE_Y, RATIO, OF_THE_RIG */
  kinds: Int8Array;
  /** whether a coefficient is among them */
  bends: boolean;
}

function lensNow({ lens, freeLens }: BundleProblem, { lens: values }: BundleState): LensNow {
  const coefficients = coefficientsOf(lens.distortion);
  const kinds = Int8Array.from(values ? (freeLens ?? []) : [], (q) => KINDS[q.name] ?? OF_THE_RIG);
  const now = { cx: lens.cx, cy: lens.cy, pxPerMmX: lens.pxPerMmX, coefficients, kinds, bends: kinds.some((kind) => kind < CENTRE_X) };
  kinds.forEach((kind, k) => {
    const value = values![k];
    if (kind === CENTRE_X) now.cx = value;
    else if (kind === CENTRE_Y) now.cy = value;
    else if (kind === RATIO) now.pxPerMmX = value * lens.pxPerMmY;
    else if (kind < CENTRE_X) coefficients[kind] = value;
  });
  return now;
}

/** Fills `out.residual`, and the derivatives when `derivatives` is set. */
export function evaluateBundle(p: BundleProblem, s: BundleState, out: Linearisation, derivatives: boolean): void {
  const { rotations: R, translations: T, points: X, focalMm } = s;
  const { pxPerMmY, distortion, follows, normaliserMm } = p.lens;
  const { cx, cy, pxPerMmX, coefficients, kinds, bends } = lensNow(p, s);
  const freeLens = kinds.length;
  if (derivatives && out.jLens.length !== 2 * freeLens * p.camera.length) out.jLens = new Float64Array(2 * freeLens * p.camera.length);
  const ratios = ratiosOf(p, s, out, derivatives);
  const { residual, jFocal, jLens } = out;
  const count = p.camera.length;
  const { pair } = p;
  const witness = pair && s.lens ? witnessAt(pair, s) : null;
  for (let i = 0; i < count; i += 1) {
    if (witness && pair!.of[i]) {
      witnessRow(p, s, pair!, witness, i, out, derivatives);
      continue;
    }
    const ratio = ratios ? ratios[p.camera[i]] : 1;
    const f = focalMm * ratio;
    const g = follows ? f : normaliserMm;
    const toG = f / g;
    const ax = g * pxPerMmX;
    const ay = g * pxPerMmY;
    const c9 = 9 * p.camera[i];
    const c3 = 3 * p.camera[i];
    const p3 = 3 * p.point[i];
    const X0 = X[p3],
      X1 = X[p3 + 1],
      X2 = X[p3 + 2];
    const y0 = R[c9] * X0 + R[c9 + 1] * X1 + R[c9 + 2] * X2;
    const y1 = R[c9 + 3] * X0 + R[c9 + 4] * X1 + R[c9 + 5] * X2;
    const y2 = R[c9 + 6] * X0 + R[c9 + 7] * X1 + R[c9 + 8] * X2;
    const z = y2 + T[c3 + 2];
    const w = Math.sqrt(p.weight[i]);
    if (z < 1e-6) {
      behind(out, i, w, derivatives, freeLens);
      continue;
    }
    const zi = 1 / z;
    const sx = (y0 + T[c3]) * zi;
    const sy = (y1 + T[c3 + 1]) * zi;
    distortWith(distortion.model, coefficients, sx * toG, sy * toG, d2, derivatives ? j4 : null, derivatives && bends ? c10 : null);
    residual[2 * i] = (cx + ax * d2[0] - p.xPx[i]) * w;
    residual[2 * i + 1] = (cy + ay * d2[1] - p.yPx[i]) * w;
    if (!derivatives) continue;
    const a = ax * w,
      b = ay * w;
    for (let k = 0; k < freeLens; k += 1) {
      const kind = kinds[k];
      const at = 2 * freeLens * i + k;
      jLens[at] = kind < CENTRE_X ? a * c10[kind] : kind === CENTRE_X ? w : kind === RATIO ? g * pxPerMmY * d2[0] * w : 0;
      jLens[at + freeLens] = kind < CENTRE_X ? b * c10[5 + kind] : kind === CENTRE_Y ? w : 0;
    }
    // d(u, v) / d(slope), then by the point in the camera's axes
    const ux = a * j4[0] * toG,
      uy = a * j4[1] * toG,
      vx = b * j4[2] * toG,
      vy = b * j4[3] * toG;
    poseAndPoint(out, i, 0, ux * zi, uy * zi, -(ux * sx + uy * sy) * zi, y0, y1, y2, R, c9, p.turnOnly);
    poseAndPoint(out, i, 1, vx * zi, vy * zi, -(vx * sx + vy * sy) * zi, y0, y1, y2, R, c9, p.turnOnly);
    if (follows) {
      jFocal[2 * i] = pxPerMmX * d2[0] * w * ratio;
      jFocal[2 * i + 1] = pxPerMmY * d2[1] * w * ratio;
    } else {
      jFocal[2 * i] = pxPerMmX * (j4[0] * sx + j4[1] * sy) * w * ratio;
      jFocal[2 * i + 1] = pxPerMmY * (j4[2] * sx + j4[3] * sy) * w * ratio;
    }
  }
}

/** Derivatives of one coordinate of an observation by its camera's turn and place and by its point, from those (g0, g1, g2) by the point in the camera's axes; y is that point, turned and not yet moved. */
function poseAndPoint(out: Linearisation, i: number, axis: number, g0: number, g1: number, g2: number, y0: number, y1: number, y2: number, R: Float64Array, c9: number, turnOnly?: boolean): void {
  const { jCamera, jPoint } = out;
  const jc = 12 * i + 6 * axis;
  jCamera[jc] = g2 * y1 - g1 * y2;
  jCamera[jc + 1] = g0 * y2 - g2 * y0;
  jCamera[jc + 2] = g1 * y0 - g0 * y1;
  jCamera[jc + 3] = turnOnly ? 0 : g0;
  jCamera[jc + 4] = turnOnly ? 0 : g1;
  jCamera[jc + 5] = turnOnly ? 0 : g2;
  const jp = 6 * i + 3 * axis;
  jPoint[jp] = g0 * R[c9] + g1 * R[c9 + 3] + g2 * R[c9 + 6];
  jPoint[jp + 1] = g0 * R[c9 + 1] + g1 * R[c9 + 4] + g2 * R[c9 + 7];
  jPoint[jp + 2] = g0 * R[c9 + 2] + g1 * R[c9 + 5] + g2 * R[c9 + 8];
}

/** A point behind its camera: no place in the picture, and nothing says which way it would have one. */
function behind(out: Linearisation, i: number, w: number, derivatives: boolean, freeLens: number): void {
  out.residual[2 * i] = BEHIND_PX * w;
  out.residual[2 * i + 1] = 0;
  if (!derivatives) return;
  out.jCamera.fill(0, 12 * i, 12 * i + 12);
  out.jPoint.fill(0, 6 * i, 6 * i + 6);
  out.jFocal.fill(0, 2 * i, 2 * i + 2);
  out.jLens.fill(0, 2 * freeLens * i, 2 * freeLens * (i + 1));
}

/** Of each camera its focal length over the common one; null where all have that. */
function ratiosOf(p: BundleProblem, s: BundleState, out: Linearisation, derivatives: boolean): Float64Array | null {
  if (!p.profile && !p.zoom) return null;
  const ratios = Float64Array.from({ length: p.cameraCount }, (_, c) => profileAt(p, s, c));
  if (p.zoom && derivatives) {
    const { count, basis } = p.zoom;
    if (out.zoomOverFocal.length !== basis.length) out.zoomOverFocal = new Float64Array(basis.length);
    for (let c = 0; c < p.cameraCount; c += 1) for (let k = 0; k < count; k += 1) out.zoomOverFocal[c * count + k] = (s.focalMm * basis[c * count + k]) / ratios[c];
  }
  return ratios;
}

/** New state after a step: rotations by exp(φ) on the left, the rest by addition. */
export function stepState(s: BundleState, cameraStep: Float64Array, pointStep: Float64Array, focalStep: number, zoomStep?: Float64Array, lensStep?: Float64Array): BundleState {
  const next = copyState(s);
  const cameras = s.translations.length / 3;
  for (let c = 0; c < cameras; c += 1) {
    expSO3Into(cameraStep[6 * c], cameraStep[6 * c + 1], cameraStep[6 * c + 2], s.rotations, next.rotations, 9 * c);
    for (let k = 0; k < 3; k += 1) next.translations[3 * c + k] += cameraStep[6 * c + 3 + k];
  }
  for (let i = 0; i < pointStep.length; i += 1) next.points[i] += pointStep[i];
  next.focalMm += focalStep;
  if (zoomStep && next.zoom) for (let k = 0; k < zoomStep.length; k += 1) next.zoom[k] += zoomStep[k];
  if (lensStep && next.lens) for (let k = 0; k < lensStep.length; k += 1) next.lens[k] += lensStep[k];
  return next;
}
