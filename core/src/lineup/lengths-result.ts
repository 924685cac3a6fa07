import { pointsOfFact, type NetFact } from '../facts';
import { matToQuat, mulMat3, transpose3, type Vec3 } from '../math';
import type { SolveLens } from '../solve/setup';
import { PICTURE, type Warning } from '../warnings';
import { bentMm, cameraOf, focalOf, isHeight, lacksOf, layoutOf, rowsOf, type Layout, type LengthsFit, type LengthsProblem, type MarkRay } from './lengths-problem';
import { bendWords } from './unmeasured-bend';
import { anglesFrom, type LineUp, type LineUpFrame, type LineUpMark } from './line-up-result';

/** A focal length that is known worse than this share is hardly known. */
const FOCAL_KNOWN = 0.1;

/** What was found, before it is told. */
export interface SolvedByLengths {
  problem: LengthsProblem;
  best: LengthsFit;
  /** another answer that the facts do not tell apart from it */
  rival: LengthsFit | null;
  misfit: number;
  leftFacts: NetFact[];
  leftMarks: string[];
  warnings: Warning[];
}

/** How far a fact lies off an answer that was made without it: m, and in sigmas of the fact. */
export function offOf(fact: NetFact, p: LengthsProblem, x: Float64Array): readonly [number, number] {
  const whole = { ...p, facts: [fact] };
  if (!pointsOfFact(fact).every((id) => p.rays.some((r) => r.id === id))) return [0, Infinity];
  const rows = rowsOf(whole);
  const { height } = layoutOf(p);
  const scratch = new Float64Array(9);
  let worst = 0;
  for (let r = 0; r < rows.count; r += 1) {
    const off = rows.evaluate(r, x, scratch) + (isHeight(fact) && height >= 0 ? x[height] : 0) - rows.measured[r];
    if (Math.abs(off) > Math.abs(worst)) worst = off;
  }
  return [worst, Math.abs(worst) / rows.sigma[0]];
}

/** A picture that was lined up by lengths, with the sigmas of what is claimed and what is not claimed. */
export function resultOf({ problem, best, rival, misfit, leftFacts, leftMarks, warnings }: SolvedByLengths, marks: readonly LineUpMark[], lens: SolveLens, whole: LengthsProblem): LineUp {
  const layout = layoutOf(problem);
  const { x, fit } = best;
  // of few that check each other a misfit above 1 is the rule; what is above its own spread counts
  const worse = misfit > 1 + 2 / Math.sqrt(2 * Math.max(1, -lacksOf(problem))) ? misfit : 1;
  const toCamera = cameraOf(x, layout);
  const focalMm = focalOf(x, layout, problem);
  const heightM = layout.height < 0 ? 0 : x[layout.height];
  const variance = (i: number, j = i): number => fit.covariance[i * layout.count + j];
  // what may as well be the other answer is known no better than to both
  const sigma = (i: number): number => (i < 0 ? 0 : Math.hypot(worse * Math.sqrt(variance(i)), rival ? rival.x[i] - x[i] : 0));
  const sigmaFocalMm = layout.focal < 0 ? 0 : focalMm * sigma(layout.focal);
  const frame: LineUpFrame = layout.tilt < 0 ? 'camera' : layout.height < 0 ? 'level' : 'floor';
  if (-lacksOf(problem) <= 0) warnings.push(PICTURE.NOTHING_CHECKS_LENGTHS());
  else if (misfit > 3) warnings.push(PICTURE.LENGTHS_MISS(misfit));
  if (problem.bend) warnings.push(...bendWords({ focal: layout.focal, bend: layout.bend, count: layout.count }, x[layout.bend], inMm(fit.covariance, layout, focalMm), worse));
  if (rival) warnings.push(PICTURE.LENGTHS_FIT_TWICE(focalMm, focalOf(rival.x, layout, problem)));
  if (problem.focal.mode === 'free' && sigmaFocalMm > FOCAL_KNOWN * focalMm) warnings.push(PICTURE.LENGTHS_DO_NOT_FIX());
  const untold = marks.filter((m) => !whole.rays.some((r) => r.id === m.id)).map((m) => m.id);
  if (untold.length > 0) warnings.push(PICTURE.MARKS_UNTOLD(untold));
  const index = new Map(problem.rays.map((r, i) => [r.id, i]));
  const places = problem.rays.map((r, i) => ({
    id: r.id,
    position: [x[3 * i], x[3 * i + 1] + heightM, x[3 * i + 2]] as Vec3,
    // along the line of sight, where it is known worst
    sigmaM: Math.hypot(worse * alongSight(x, 3 * i, variance), rival ? farOf(rival.x, i) - farOf(x, i) : 0),
  }));
  const offs = new Map(problem.rays.map((r, i) => [r.id, offPx(r, [x[3 * i], x[3 * i + 1], x[3 * i + 2]], toCamera, focalMm, (q) => bentMm(x, layout, problem, ...q), lens)]));
  const seen = marks.filter((m) => index.has(m.id));
  const rmsPx = Math.sqrt(seen.reduce((s, m) => s + offs.get(m.id)!.dxPx ** 2 + offs.get(m.id)!.dyPx ** 2, 0) / seen.length);
  const depths = places.map((q) => q.sigmaM).sort((a, b) => a - b);
  return {
    status: 'solved',
    reason: null,
    frame,
    position: [0, heightM, 0],
    rotation: matToQuat(mulMat3(transpose3(toCamera), [1, 0, 0, 0, -1, 0, 0, 0, -1])),
    focalMm,
    sigmaFocalMm,
    sigmaPositionM: [0, sigma(layout.height), 0],
    sigmaAlongAxisM: depths[Math.floor(depths.length / 2)],
    angles: layout.tilt < 0 ? null : { ...anglesFrom(toCamera), sigmaTiltRad: sigma(layout.tilt), sigmaRollRad: sigma(layout.tilt + 1) },
    rmsPx,
    marks: [...seen.map((m) => ({ id: m.id, ...offs.get(m.id)!, left: false })), ...leftMarks.map((id) => ({ id, dxPx: 0, dyPx: 0, left: true }))],
    places,
    facts: [...problem.facts.map((fact) => ({ fact, offM: offOf(fact, problem, x)[0], left: false })), ...leftFacts.map((fact) => ({ fact, offM: offOf(fact, problem, x)[0], left: true }))],
    warnings,
  };
}

/** The covariance with the focal length in mm instead of its logarithm. */
function inMm(covariance: Float64Array, { focal, count }: Layout, focalMm: number): Float64Array {
  return focal < 0 ? covariance : covariance.map((v, at) => v * (Math.floor(at / count) === focal ? focalMm : 1) * (at % count === focal ? focalMm : 1));
}

const farOf = (x: Float64Array, i: number): number => Math.hypot(x[3 * i], x[3 * i + 1], x[3 * i + 2]);

/** Root of the variance of a place along the ray to it. */
function alongSight(x: Float64Array, at: number, variance: (i: number, j: number) => number): number {
  const length = Math.hypot(x[at], x[at + 1], x[at + 2]);
  let sum = 0;
  for (let i = 0; i < 3; i += 1) for (let j = 0; j < 3; j += 1) sum += ((x[at + i] * x[at + j]) / length ** 2) * variance(at + i, at + j);
  return Math.sqrt(Math.max(0, sum));
}

/** From where the camera sees the place to where it was pointed out, in px before a lens that is known bends them. */
function offPx(ray: MarkRay, q: Vec3, m: readonly number[], focalMm: number, bent: (mm: [number, number]) => [number, number], { map }: SolveLens): { dxPx: number; dyPx: number } {
  const c = [0, 1, 2].map((k) => m[3 * k] * q[0] + m[3 * k + 1] * q[1] + m[3 * k + 2] * q[2]);
  const [xMm, yMm] = bent([(focalMm * c[0]) / c[2], (focalMm * c[1]) / c[2]]);
  return { dxPx: (ray.xMm - xMm) * map.pxPerMmX, dyPx: (ray.yMm - yMm) * map.pxPerMmY };
}
