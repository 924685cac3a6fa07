import { CoreError } from '../errors';
import { undistorter } from '../lens';
import { matToQuat, mulMat3, transpose3, type Vec3 } from '../math';
import { readSolveSetup, type SolveLens, type SolveSetup } from '../solve/setup';
import { pointsOfFact, type NetFact } from '../facts';
import { PICTURE, type Warning } from '../warnings';
import { adjustLengths, attemptsAt, cameraOf, netFactWords, focalOf, isHeight, lacksOf, layoutOf, rowsOf, thatTell, type LengthsFit, type LengthsProblem, type MarkRay } from './lengths-problem';
import { startsOf } from './lengths-starts';
import { anglesFrom, checkMarks, failedLineUp, MARK_SIGMA_PX, type LineUp, type LineUpFrame, type LineUpMark, type LineUpOptions } from './line-up-result';

/** So many of the short adjustments go on to their end. */
const GO_ON = 8;
/** χ² by which two answers must differ before one of them is the answer (three sigma). */
const TOLD_APART = 9;
const OTHER_PLACE = 0.02;
const MOST_OFF = 3;
const LEFT_MISFIT = 1.5;
const LEFT_GAIN = 0.6;
const LEFT_SIGMAS = 4;
/** A focal length that is known worse than this share is hardly known. */
const FOCAL_KNOWN = 0.1;

/**
 * Where the camera of one picture stood, how it was turned and how long its lens was, from lengths that were measured between marks of it,
 * where no instrument gave their places.
 * Model    unknown are the places of the marks as seen from the camera, the focal length, and where a height, a level, a plumb line or a wall is
 *          among the facts tilt and roll, with heights that of the camera over the floor. Each mark gives two rows (its ray, freed of the lens),
 *          each fact one or two, all over their sigmas. A mark that one number alone is known of tells nothing and takes no part.
 * Frame    floor: over the floor under the camera, which looks along −Z. level: the same, from the camera itself. camera: the camera's own axes.
 * Method   Levenberg–Marquardt from floors, walls and depths by chance at several focal lengths; a fact or mark whose leaving makes the rest agree is
 *          left out and named; another answer that the facts do not tell apart from the best is said.
 * Sigma    from the covariance, times the misfit where that is larger than what marks and facts allow; where two answers are as good, as wide as
 *          to the other one.
 * Source   single view metrology by planes and verticals (Criminisi, Reid, Zisserman, IJCV 40, 2000), as one adjustment.
 * @throws CoreError for bad input; what cannot be lined up comes back as failed with its reason
 */
export function lineUpByLengths(marks: readonly LineUpMark[], facts: readonly NetFact[], setup: SolveSetup, { markSigmaPx = MARK_SIGMA_PX }: LineUpOptions = {}): LineUp {
  const lens = readSolveSetup(setup);
  checkMarks(marks);
  checkFacts(facts);
  const rays = raysOf(marks, lens, markSigmaPx);
  if (!rays) return failedLineUp('a mark lies where the lens shows nothing: its distortion is not that of this picture', []);
  const focal = {
    mode: focalMode(setup),
    mm: lens.recordedMm,
    sigmaMm: (setup.focal.sigmaMm ?? 0) * (setup.adapterFactor ?? 1),
  };
  let least: { lacks: number; marks: number } | null = null;
  for (const { levelled, floored, of } of attemptsAt(facts)) {
    const told = thatTell(rays, of);
    const problem: LengthsProblem = { ...told, levelled, floored, focal };
    const lacks = lacksOf(problem);
    if (lacks > 0) {
      if (!least || lacks < least.lacks) least = { lacks, marks: told.rays.length };
      continue;
    }
    const solved = solve(problem);
    if (solved) return resultOf(solved, marks, lens, problem);
  }
  return failedLineUp(
    least
      ? `${least.marks} of the marks have lengths between them, and ${least.lacks === 1 ? 'one length is' : `${least.lacks} lengths are`} missing before anything can be said: tape another side or a diagonal, or point out marks that are taped`
      : 'the lengths do not determine the camera: tape one across the picture and one along the view, or hold the focal length',
    [],
  );
}

const focalMode = (setup: SolveSetup): LengthsProblem['focal']['mode'] => {
  const mode = setup.focal.mode ?? 'held';
  return mode === 'zoom' ? 'free' : mode;
};

function raysOf(marks: readonly LineUpMark[], { map }: SolveLens, markSigmaPx: number): MarkRay[] | null {
  const undistort = undistorter(map.distortion);
  const out = new Float64Array(2);
  const sigmaMm = [markSigmaPx / map.pxPerMmX, markSigmaPx / map.pxPerMmY] as const;
  const rays: MarkRay[] = [];
  for (const m of marks) {
    if (!undistort((m.xPx - map.cx) / (map.normaliserMm * map.pxPerMmX), (m.yPx - map.cy) / (map.normaliserMm * map.pxPerMmY), out)) return null;
    rays.push({ id: m.id, xMm: out[0] * map.normaliserMm, yMm: out[1] * map.normaliserMm, sigmaMm });
  }
  return rays;
}

const misfitOf = (p: LengthsProblem, cost: number): number => Math.sqrt((2 * cost) / Math.max(1, -lacksOf(p)));

interface Solved {
  problem: LengthsProblem;
  best: LengthsFit;
  /** another answer that the facts do not tell apart from it */
  rival: LengthsFit | null;
  leftFacts: NetFact[];
  leftMarks: string[];
  warnings: Warning[];
}

/** The cheapest answer, and one that is as good; null where none of the starts ends in one that is determined. */
function cheapest(p: LengthsProblem, starts: readonly Float64Array[]): { best: LengthsFit; rival: LengthsFit | null; tried: Float64Array[] } | null {
  const short = starts.map((s) => adjustLengths(p, adjustLengths(p, s, 'roughly').x, 'gently')).filter((f) => Number.isFinite(f.cost));
  short.sort((a, b) => a.cost - b.cost);
  const tried: Float64Array[] = [];
  for (const f of short) if (tried.length < GO_ON && !tried.some((x) => alike(p, x, f.x))) tried.push(f.x);
  const ends = tried.map((x) => adjustLengths(p, x, 'plain')).filter((f) => f.fit.status !== 'failed' && lensThatIs(p, f.x));
  ends.sort((a, b) => a.cost - b.cost);
  const [best] = ends;
  if (!best || best.fit.rank < layoutOf(p).count) return null;
  const scale = Math.max(1, misfitOf(p, best.cost)) ** 2;
  const rival = ends.find((f) => f !== best && 2 * (f.cost - best.cost) < TOLD_APART * scale && !alike(p, f.x, best.x)) ?? null;
  return { best, rival, tried };
}

/** A focal length that is a third of what was written down, or three times, is no lens but a bend in the answer. */
function lensThatIs(p: LengthsProblem, x: Float64Array): boolean {
  const ratio = focalOf(x, layoutOf(p), p) / p.focal.mm;
  return ratio < MOST_OFF && ratio > 1 / MOST_OFF;
}

/** The same answer: no mark and no focal length differs by more than a fiftieth. */
function alike(p: LengthsProblem, a: Float64Array, b: Float64Array): boolean {
  const layout = layoutOf(p);
  if (layout.focal >= 0 && Math.abs(a[layout.focal] - b[layout.focal]) > OTHER_PLACE) return false;
  return p.rays.every((_, i) => Math.hypot(a[3 * i] - b[3 * i], a[3 * i + 1] - b[3 * i + 1], a[3 * i + 2] - b[3 * i + 2]) < OTHER_PLACE * Math.hypot(a[3 * i], a[3 * i + 1], a[3 * i + 2]));
}

function solve(whole: LengthsProblem): Solved | null {
  const first = cheapest(whole, startsOf(whole));
  if (!first) return null;
  const out: Solved = { problem: whole, best: first.best, rival: first.rival, leftFacts: [], leftMarks: [], warnings: [] };
  let { tried } = first;
  // one wrong fact among few bends the rest towards it: it is found by leaving each out
  while (-lacksOf(out.problem) > 1 && misfitOf(out.problem, out.best.cost) > LEFT_MISFIT) {
    const { problem } = out;
    const options = without(problem, tried).flatMap((o) => {
      if (lacksOf(o.problem) > -1) return [];
      const found = cheapest(o.problem, o.starts);
      return found ? [{ ...o, found }] : [];
    });
    const least = Math.min(...options.map((o) => misfitOf(o.problem, o.found.best.cost)));
    const scale = Math.max(1, least) ** 2;
    // a mark takes all its lengths along: what leaves more of what checks the rest must earn it
    const priceOf = (o: (typeof options)[number]) => 2 * o.found.best.cost + TOLD_APART * scale * (lacksOf(o.problem) - lacksOf(problem));
    options.sort((a, b) => priceOf(a) - priceOf(b));
    const [best] = options;
    // where a length explains it, that its mark with all its lengths would do so too is no other answer
    const second = options.slice(1).find((o) => !(best.fact && o.mark && pointsOfFact(best.fact).includes(o.mark)));
    if (!best || misfitOf(best.problem, best.found.best.cost) > LEFT_GAIN * misfitOf(problem, out.best.cost)) break;
    if (second && priceOf(second) - priceOf(best) < TOLD_APART * scale) {
      out.warnings.push(PICTURE.LENGTH_UNDECIDED(best.words, second.words));
      break;
    }
    if (best.fact) {
      const [offM, sigmas] = offOf(best.fact, best.problem, best.found.best.x);
      if (sigmas < LEFT_SIGMAS) break;
      out.leftFacts.push(best.fact);
      const end = options.find((o) => o.mark && pointsOfFact(best.fact!).includes(o.mark) && priceOf(o) - priceOf(best) < TOLD_APART * scale);
      out.warnings.push(PICTURE.LENGTH_LEFT_OUT(best.words, offM, end?.mark ?? null));
    } else {
      out.leftMarks.push(best.mark!);
      out.warnings.push(PICTURE.MARK_OF_LENGTHS_LEFT_OUT(best.mark!));
    }
    Object.assign(out, { problem: best.problem, best: best.found.best, rival: best.found.rival });
    ({ tried } = best.found);
  }
  return out;
}

interface Without {
  problem: LengthsProblem;
  starts: Float64Array[];
  words: string;
  fact?: NetFact;
  mark?: string;
}

/** The problem without each of its facts, and without each of its marks, begun where the whole ended. */
function without(p: LengthsProblem, tried: readonly Float64Array[]): Without[] {
  const put = (facts: readonly NetFact[], rays: readonly MarkRay[]): Pick<Without, 'problem' | 'starts'> | null => {
    const told = thatTell(rays, facts);
    // a floor that nothing names any more has no height to be found
    const problem = { ...p, ...told, floored: p.floored && told.facts.some(isHeight) };
    return problem.floored === p.floored && told.rays.length > 0 ? { problem, starts: tried.map((x) => pick(p, problem, x)) } : null;
  };
  const factsOut = p.facts.flatMap((fact, i): Without[] => {
    const rest = put(
      p.facts.filter((_, j) => j !== i),
      p.rays,
    );
    // one pair can be taped twice: its value says which of the two
    return rest ? [{ ...rest, words: `${netFactWords(fact)}${'m' in fact ? ` of ${fact.m.toFixed(3)} m` : ''}`, fact }] : [];
  });
  const marksOut = p.rays.flatMap((ray): Without[] => {
    const rest = put(
      p.facts,
      p.rays.filter((r) => r !== ray),
    );
    return rest ? [{ ...rest, words: `where ${ray.id} was pointed out`, mark: ray.id }] : [];
  });
  return [...factsOut, ...marksOut];
}

/** The unknowns of a smaller problem out of those of a larger one. */
function pick(from: LengthsProblem, to: LengthsProblem, x: Float64Array): Float64Array {
  const index = new Map(from.rays.map((r, i) => [r.id, i]));
  const rest = x.slice(3 * from.rays.length);
  const places = to.rays.flatMap((r) => [...x.slice(3 * index.get(r.id)!, 3 * index.get(r.id)! + 3)]);
  return Float64Array.from([...places, ...rest]);
}

/** How far a fact lies off an answer that was made without it: m, and in sigmas of the fact. */
function offOf(fact: NetFact, p: LengthsProblem, x: Float64Array): readonly [number, number] {
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

function resultOf({ problem, best, rival, leftFacts, leftMarks, warnings }: Solved, marks: readonly LineUpMark[], lens: SolveLens, whole: LengthsProblem): LineUp {
  const layout = layoutOf(problem);
  const { x, fit } = best;
  const misfit = misfitOf(problem, best.cost);
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
  const offs = new Map(problem.rays.map((r, i) => [r.id, offPx(r, [x[3 * i], x[3 * i + 1], x[3 * i + 2]], toCamera, focalMm, lens)]));
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

const farOf = (x: Float64Array, i: number): number => Math.hypot(x[3 * i], x[3 * i + 1], x[3 * i + 2]);

/** Root of the variance of a place along the ray to it. */
function alongSight(x: Float64Array, at: number, variance: (i: number, j: number) => number): number {
  const length = Math.hypot(x[at], x[at + 1], x[at + 2]);
  let sum = 0;
  for (let i = 0; i < 3; i += 1) for (let j = 0; j < 3; j += 1) sum += ((x[at + i] * x[at + j]) / length ** 2) * variance(at + i, at + j);
  return Math.sqrt(Math.max(0, sum));
}

/** From where the camera sees the place to where it was pointed out, in px before the lens bends them. */
function offPx(ray: MarkRay, q: Vec3, m: readonly number[], focalMm: number, { map }: SolveLens): { dxPx: number; dyPx: number } {
  const c = [0, 1, 2].map((k) => m[3 * k] * q[0] + m[3 * k + 1] * q[1] + m[3 * k + 2] * q[2]);
  return { dxPx: (ray.xMm - (focalMm * c[0]) / c[2]) * map.pxPerMmX, dyPx: (ray.yMm - (focalMm * c[1]) / c[2]) * map.pxPerMmY };
}

const checkFacts = (facts: readonly NetFact[]): void => {
  for (const f of facts) {
    const m = 'm' in f ? f.m : 0;
    if (![m, f.sigmaM].every(Number.isFinite)) throw new CoreError('NON_FINITE_INPUT', `${netFactWords(f)} is not made of numbers`, 'facts');
    if (!(f.sigmaM > 0) || (f.kind === 'tie' && !(f.m > 0))) throw new CoreError('INVALID_OPTION', `${netFactWords(f)}: ${m} ± ${f.sigmaM} m cannot be`, 'facts');
  }
};
