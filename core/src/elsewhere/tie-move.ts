import { anchorSolve, type AnchorInput, type AnchorResult, type SolveCovariance } from '../anchor';
import { applySimilarity, distance, matToQuat, median, mulMat3, mulMatVec, quatToMat, transpose3, type Mat3, type Vec3 } from '../math';
import { reconcile, type KitAround, type ReconcileReport } from '../reconcile';
import type { SolveResult, SolveSetup } from '../solve';
import { ELSEWHERE, once, type Warning } from '../warnings';
import { doubtReading, type ReadingDoubt } from './doubts';
import type { ForeignMove, ForeignReading } from './move';
import { readMove, type ReadMove } from './read-move';

/** What is taken for known of a solve that does not say how well it knows it: a careful one of many tracks is better, a hasty one worse. */
export const ASSUMED = { focalShare: 0.005, depthShare: 0.001 };
/** A focal length that moves by more is a zoom. */
const ZOOMS = 0.01;
/** A camera's own turn is known far better than anybody reads an inclinometer. */
const TURN_SIGMA_RAD = 0.001;
/** Beyond so many sigmas its metre is another. */
const OFF_SIGMAS = 3.3;

export interface TiedMove {
  /** as one made here: places in metres in the set, where something ties it to the set */
  solve: SolveResult;
  report: ReconcileReport | null;
  /** metres by what was measured over metres as read, with its sigma; null: nothing says */
  scale: { factor: number; sigma: number } | null;
  doubts: ReadingDoubt[];
}

/** Picture axes (x right, y down, z forward) of a camera that looks along −Z with Y up. */
const FLIP: Mat3 = [1, 0, 0, 0, -1, 0, 0, 0, -1];

/**
 * A solve that was made elsewhere, tied to the set by what was measured and laid against the record as if it was made here.
 * Model   As it is read, its shape holds; size, place and direction come from level marks, lengths, heights and surveyed places (anchorSolve), unless
 *         its places are said to be those of the set. Its own uncertainty is not in its file: `ASSUMED` stands for it, and is said.
 * @throws CoreError for a file that holds no camera, or is not made of numbers
 */
export function tieMove(move: ForeignMove, reading: ForeignReading, setup: SolveSetup, around?: KitAround): TiedMove {
  const read = readMove(move, reading, setup);
  const warnings: Warning[] = [ELSEWHERE.SIGMAS_ASSUMED(100 * ASSUMED.focalShare, 1000 * ASSUMED.depthShare)];
  const depthM = depthOf(read);
  const named = namesOf(setup);
  const ties = read.points.some((p) => named.has(p.id));
  if (reading.world === 'own' && !ties) warnings.push(ELSEWHERE.NO_NAMED_POINTS());
  const input = inputOf(read, ASSUMED.depthShare * depthM);
  const anchored = reading.world === 'own' && ties ? anchorSolve(input, setup.anchors ?? {}) : null;
  const scale = anchored?.scaled ? { factor: anchored.similarity.scale, sigma: anchored.sigmaScale ?? 0 } : null;
  const doubts = doubtReading(read, reading, move, setup, scale?.factor ?? null);
  if (anchored) warnings.push(...anchored.warnings);
  if (scale && reading.unit !== 'of the solve' && Math.abs(scale.factor - 1) > OFF_SIGMAS * scale.sigma && !doubts.some((d) => d.code === 'unit'))
    warnings.push(ELSEWHERE.METRE_OFF(100 * (1 / scale.factor - 1), 100 * scale.sigma));
  const solve = resultOf(read, input, anchored, setup, depthM, reading, warnings);
  const hasFocal = solve.focalMm !== null;
  const report = hasFocal ? reconcile(setup, forReconcile(solve, anchored, reading, setup), around) : null;
  return { solve, report, scale, doubts };
}

/** Where its places are the set's own, each is judged as it stands; where nothing ties it, nothing of its size and place is. */
function forReconcile(solve: SolveResult, anchored: AnchorResult | null, reading: ForeignReading, setup: SolveSetup): Parameters<typeof reconcile>[1] {
  if (anchored || reading.world === 'own') return solve;
  const { anchoring: _none, ...rest } = solve;
  return {
    ...rest,
    angles: (setup.anchors?.cameraAngles ?? []).map(({ frame, of }) => angleOf(frame === 'last' ? solve.frames[solve.frames.length - 1] : solve.frames.find((f) => f.frame === frame), of)),
  };
}

/** Of a camera whose world stands upright: the height of its line of sight, or the lean of its rows (clockwise from behind is positive). */
function angleOf(frame: SolveResult['frames'][number] | undefined, of: 'tilt' | 'roll'): { rad: number; sigmaRad: number } | null {
  if (!frame) return null;
  const m = quatToMat(frame.rotation);
  return { rad: of === 'tilt' ? Math.asin(Math.max(-1, Math.min(1, -m[5]))) : Math.atan2(-m[3], m[4]), sigmaRad: TURN_SIGMA_RAD };
}

/** Marks that anything was measured of. */
function namesOf({ anchors = {} }: SolveSetup): Set<string> {
  return new Set([...(anchors.level ?? []), ...(anchors.lengths ?? []).flatMap((l) => [l.a, l.b]), ...(anchors.points ?? []).map((p) => p.track), ...(anchors.distances ?? []).map((d) => d.to)]);
}

/** From the cameras to the points, as it is read; of a file without points how far the camera goes. */
function depthOf({ frames, points }: ReadMove): number {
  const some = frames.filter((_, i) => i % Math.max(1, Math.floor(frames.length / 20)) === 0);
  if (points.length > 0) return median(some.flatMap((f) => points.map((p) => distance(f.position, p.position))));
  return Math.max(1e-6, ...some.map((f) => distance(f.position, frames[0].position)));
}

function inputOf({ frames, points }: ReadMove, sigma: number): AnchorInput {
  const rotations = frames.map((f) => mulMat3(FLIP, transpose3(quatToMat(f.rotation))));
  return {
    frames: frames.map((f) => f.frame),
    centers: frames.map((f) => f.position),
    rotations,
    translations: frames.map((f, i) => mulMatVec(rotations[i], f.position).map((v) => -v) as unknown as Vec3),
    trackIds: points.map((p) => p.id),
    points: points.map((p) => p.position),
    variance: 1,
    covariance: evenly(sigma),
  };
}

/** Each place known as well as every other, and none by another. */
function evenly(sigma: number): SolveCovariance {
  const [place, turn] = [sigma ** 2, TURN_SIGMA_RAD ** 2];
  return {
    column: (camera, point) => ({ camera: camera.map((v, k) => v * (k % 6 < 3 ? turn : place)), point: point.map((v) => v * place), focal: 0 }),
    cameraBlock: () => Float64Array.from({ length: 36 }, (_, i) => (i % 7 !== 0 ? 0 : i < 21 ? turn : place)),
    pointBlock: () => Float64Array.from({ length: 9 }, (_, i) => (i % 4 === 0 ? place : 0)),
  };
}

function resultOf(read: ReadMove, input: AnchorInput, anchored: AnchorResult | null, setup: SolveSetup, depthM: number, reading: ForeignReading, warnings: Warning[]): SolveResult {
  const focal = read.frames.flatMap((f) => (f.focalMm === null ? [] : [f.focalMm]));
  const known = focal.length === read.frames.length;
  const zooms = known && Math.max(...focal) / Math.min(...focal) > 1 + ZOOMS;
  const focalMm = known ? focal.reduce((s, v) => s + v, 0) / focal.length : null;
  const inSet = reading.world === 'set';
  const sigmaM = inSet ? ASSUMED.depthShare * depthM : null;
  const own = sigmaM === null ? null : ([sigmaM ** 2, 0, 0, sigmaM ** 2, 0, sigmaM ** 2] as const);
  const at = (p: Vec3): Vec3 => (anchored ? applySimilarity(anchored.similarity, p) : p);
  const spread = (kind: 'camera' | 'point', index: number) => (anchored ? anchored.positionCovarianceM2({ kind, index }) : own);
  const mean = (c: ReturnType<typeof spread>) => c && Math.sqrt((c[0] + c[3] + c[5]) / 3);
  const lastFrame = read.frames[read.frames.length - 1].frame;
  return {
    status: 'solved',
    reason: null,
    width: setup.image.width,
    height: setup.image.height,
    focalMm,
    sigmaFocalMm: focalMm === null ? null : ASSUMED.focalShare * focalMm,
    focalMode: zooms ? 'zoom' : 'free',
    distortion: { model: 'radial', k: [0, 0, 0], p: [0, 0], mode: 'none', normalisedWithMm: focalMm ?? setup.focal.mm, follows: false },
    rmsPx: null,
    rmsPerMille: null,
    noisePx: null,
    frames: read.frames.map((f, i) => {
      const c = spread('camera', i);
      return {
        frame: f.frame,
        position: at(f.position),
        rotation: anchored ? matToQuat(mulMat3(anchored.similarity.rotation, quatToMat(f.rotation))) : f.rotation,
        focalMm: f.focalMm ?? setup.focal.mm,
        ...(zooms ? { sigmaFocalMm: ASSUMED.focalShare * f.focalMm! } : {}),
        rmsPx: 0,
        tracks: 0,
        sigmaPositionM: mean(c),
        covarianceM2: c && [...c],
      } as SolveResult['frames'][number];
    }),
    points: read.points.map((p, i) => {
      const c = spread('point', i);
      return { track: p.id, position: at(p.position), sigmaM: mean(c), covarianceM2: c && [...c], rmsPx: 0, observations: 0 } as SolveResult['points'][number];
    }),
    trimmed: [],
    anchoring: {
      scale: anchored ? (anchored.scaled ? anchored.similarity.scale : null) : inSet ? 1 : null,
      sigmaScalePct: anchored?.scaled && anchored.sigmaScale !== null ? (100 * anchored.sigmaScale) / anchored.similarity.scale : null,
      datum: anchored ? anchored.datum : [inSet ? 'its own places, taken as the set’s' : 'its own world'],
      residuals: anchored ? anchored.residuals : [],
      undecided: anchored?.undecided ?? null,
      angles: (setup.anchors?.cameraAngles ?? []).map(({ frame, of }) => {
        const camera = input.frames.indexOf(frame === 'last' ? lastFrame : frame);
        const a = anchored && camera >= 0 ? anchored.anglesOf(camera) : null;
        return a && (of === 'tilt' ? { rad: a.tiltRad, sigmaRad: a.sigmaTiltRad } : { rad: a.rollRad, sigmaRad: a.sigmaRollRad });
      }),
    },
    warnings: once(warnings),
    iterations: 0,
  };
}
