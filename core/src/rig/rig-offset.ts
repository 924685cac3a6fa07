import { CoreError } from '../errors';
import { matToQuat, meanTurn, median, mulMat3, quatToMat, rotationAngle, transpose3, type Mat3, type Quat, type Vec3 } from '../math';
import type { SolveResult } from '../solve';
import { WITNESS, type Warning } from '../warnings';

/** How one camera sat on another, from a solve of each. */
export interface RigOffset {
  status: 'solved' | 'failed';
  reason: string | null;
  /** of B's entrance pupil in A's camera (x right, y up, −z forwards), m */
  translation: Vec3 | null;
  /** from B's camera axes to A's */
  rotation: Quat | null;
  /** of one axis */
  sigmaM: number | null;
  sigmaDeg: number | null;
  /** the rig held: no frame, and no drift, beyond what both solves allow */
  stable: boolean;
  frames: { frame: number; offM: number; offDeg: number }[];
  warnings: Warning[];
}

/** Frames that both solves must share. */
const LEAST_FRAMES = 3;
/** The rig moved where its middle before and after differ by so many times what the scatter allows. */
const MOVED_SIGMAS = 5;
/** Below it a scatter is the solves' own: nobody sees a tenth of a degree, or two millimetres, of a rig. */
const HARMLESS_M = 0.002;
const HARMLESS_DEG = 0.05;

/**
 * The rigid offset of two cameras that ran together.
 * Model    each frame gives R_Aᵀ (C_B − C_A) and R_Aᵀ R_B; the middle of all by medians and rotation averages; sigma by the scatter, as
 *          of ten frames at most since errors of a path go on from one to the next, and not below what both solves say of themselves.
 * @param addFrames frame of B that ran together with frame f of A is f + addFrames
 * @throws CoreError INVALID_OPTION where a solve has no frames
 */
export function rigOffset(a: SolveResult, b: SolveResult, addFrames = 0): RigOffset {
  const warnings: Warning[] = [];
  for (const [name, s] of [
    ['A', a],
    ['B', b],
  ] as const) {
    if (s.frames.length === 0) throw new CoreError('INVALID_OPTION', `The solve of ${name} has no cameras`, 'frames');
    if (s.motion === 'pan') return none(`the camera of ${name} only turned: its solve has no places`, warnings);
    if (s.anchoring.scale === null) return none(`the solve of ${name} has no scale: without metres there is no offset`, warnings);
  }
  const shared = a.anchoring.datum.filter((d) => b.anchoring.datum.includes(d));
  if (shared.length === 0) warnings.push(WITNESS.NOTHING_SHARED());
  const ofB = new Map(b.frames.map((f) => [f.frame, f]));
  const pairs = a.frames.flatMap((fa) => {
    const fb = ofB.get(fa.frame + addFrames);
    if (!fb) return [];
    const ra = quatToMat(fa.rotation);
    const d: Vec3 = [fb.position[0] - fa.position[0], fb.position[1] - fa.position[1], fb.position[2] - fa.position[2]];
    const back = transpose3(ra);
    return [
      {
        frame: fa.frame,
        at: [0, 1, 2].map((k) => back[3 * k] * d[0] + back[3 * k + 1] * d[1] + back[3 * k + 2] * d[2]) as unknown as Vec3,
        turn: mulMat3(back, quatToMat(fb.rotation)),
        sigmaM: Math.hypot(fa.sigmaPositionM ?? 0, fb.sigmaPositionM ?? 0),
      },
    ];
  });
  if (pairs.length < LEAST_FRAMES) return none(`${pairs.length} frames are in both solves; ${LEAST_FRAMES} are the least. Say with --frames how far B's count is ahead`, warnings);
  const translation = [0, 1, 2].map((k) => median(pairs.map((p) => p.at[k]))) as unknown as Vec3;
  const turn = meanTurn(pairs.map((p) => p.turn));
  const off = pairs.map((p) => ({ frame: p.frame, offM: Math.hypot(p.at[0] - translation[0], p.at[1] - translation[1], p.at[2] - translation[2]), offDeg: angleDeg(turn, p.turn) }));
  const scatterM = median(off.map((o) => o.offM)) / 1.54;
  const scatterDeg = median(off.map((o) => o.offDeg)) / 1.54;
  // errors of a path last for about a tenth of it: so many frames are one
  const independent = Math.min(pairs.length, 10);
  const own = median(pairs.map((p) => p.sigmaM));
  // what ties a solve to the world is the same in all its frames, and no number of them makes it better
  const sigmaM = Math.hypot(scatterM / Math.sqrt(independent), own);
  const sigmaDeg = scatterDeg / Math.sqrt(independent);
  const half = pairs.length >> 1;
  const mean = (list: typeof pairs) => [0, 1, 2].map((k) => median(list.map((p) => p.at[k])));
  const [before, after] = [mean(pairs.slice(0, half)), mean(pairs.slice(-half))];
  const walkedM = Math.hypot(after[0] - before[0], after[1] - before[1], after[2] - before[2]);
  const turnedDeg = angleDeg(meanTurn(pairs.slice(0, half).map((p) => p.turn)), meanTurn(pairs.slice(-half).map((p) => p.turn)));
  const wild = off.filter((o) => o.offM > MOVED_SIGMAS * Math.max(scatterM, own, HARMLESS_M) || o.offDeg > MOVED_SIGMAS * Math.max(scatterDeg, HARMLESS_DEG));
  // within each half: a rig that was knocked scatters little before and little after
  const withinM = median([...pairs.slice(0, half).map((p) => apart(p.at, before)), ...pairs.slice(-half).map((p) => apart(p.at, after))]) / 1.54;
  const drifts = walkedM > own + MOVED_SIGMAS * Math.max(withinM / Math.sqrt(independent / 2), HARMLESS_M) || turnedDeg > MOVED_SIGMAS * Math.max(sigmaDeg, HARMLESS_DEG);
  if (drifts) warnings.push(WITNESS.RIG_MOVED(walkedM, turnedDeg));
  if (wild.length > 0) warnings.push(WITNESS.FRAMES_APART(wild.length, wild[0].frame, wild[0].offM, wild[0].offDeg));
  return { status: 'solved', reason: null, translation, rotation: matToQuat(turn), sigmaM, sigmaDeg, stable: !drifts && wild.length === 0, frames: off, warnings };
}

const none = (reason: string, warnings: Warning[]): RigOffset => ({
  ...{ status: 'failed' as const, reason, translation: null, rotation: null, sigmaM: null, sigmaDeg: null, stable: false, frames: [], warnings },
});

const apart = (p: Vec3, q: readonly number[]): number => Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]);
const angleDeg = (a: Mat3, b: Mat3): number => (rotationAngle(a, b) * 180) / Math.PI;
