import { CoreError } from '../errors';
import { leaveOut, misfitOf, TOLD_APART, type Agreement } from '../estimate';
import { undistorter } from '../lens';
import { readSolveSetup, type SolveLens, type SolveSetup } from '../solve/setup';
import { pointsOfFact, type NetFact } from '../facts';
import { PICTURE, type Warning } from '../warnings';
import { adjustLengths, attemptsAt, netFactWords, focalOf, isHeight, lacksOf, layoutOf, thatTell, type LengthsFit, type LengthsProblem, type MarkRay } from './lengths-problem';
import { offOf, resultOf, type SolvedByLengths } from './lengths-result';
import { startsOf } from './lengths-starts';
import { bendOf } from './unmeasured-bend';
import { checkMarks, failedLineUp, MARK_SIGMA_PX, type LineUp, type LineUpMark, type LineUpOptions } from './line-up-result';

/** So many of the short adjustments go on to their end. */
const GO_ON = 8;
const OTHER_PLACE = 0.02;
const MOST_OFF = 3;

/**
 * Where the camera of one picture stood, how it was turned and how long its lens was, from lengths that were measured between marks of it,
 * where no instrument gave their places.
 * Model    unknown are the places of the marks as seen from the camera, the focal length, and where a height, a level, a plumb line or a wall is
 *          among the facts tilt and roll, with heights that of the camera over the floor. Each mark gives two rows (its ray, freed of the lens),
 *          each fact one or two, all over their sigmas; how a lens bends that nobody measured is unknown too, with what lenses usually have. A mark that one number alone is known of tells nothing and takes no part.
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
    const problem: LengthsProblem = { ...told, levelled, floored, focal, bend: bendOf(lens) };
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

/** An answer to a problem, and what its short adjustments found on the way. */
interface Answer extends Agreement {
  problem: LengthsProblem;
  best: LengthsFit;
  /** another answer that the facts do not tell apart from it */
  rival: LengthsFit | null;
  tried: Float64Array[];
}
/** The cheapest answer, and one that is as good; null where none of the starts ends in one that is determined. */
function cheapest(p: LengthsProblem, starts: readonly Float64Array[]): Answer | null {
  const short = starts.map((s) => adjustLengths(p, adjustLengths(p, s, 'roughly').x, 'gently')).filter((f) => Number.isFinite(f.cost));
  short.sort((a, b) => a.cost - b.cost);
  const tried: Float64Array[] = [];
  for (const f of short) if (tried.length < GO_ON && !tried.some((x) => alike(p, x, f.x))) tried.push(f.x);
  const ends = tried.map((x) => adjustLengths(p, x, 'plain')).filter((f) => f.fit.status !== 'failed' && lensThatIs(p, f.x));
  ends.sort((a, b) => a.cost - b.cost);
  const [best] = ends;
  if (!best || best.fit.rank < layoutOf(p).count) return null;
  const agreement = { chi2: 2 * best.cost, redundancy: -lacksOf(p) };
  const scale = Math.max(1, misfitOf(agreement)) ** 2;
  const rival = ends.find((f) => f !== best && 2 * (f.cost - best.cost) < TOLD_APART * scale && !alike(p, f.x, best.x)) ?? null;
  return { ...agreement, problem: p, best, rival, tried };
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

function solve(whole: LengthsProblem): SolvedByLengths | null {
  const first = cheapest(whole, startsOf(whole));
  if (!first) return null;
  const found = leaveOut<Thing, Answer>(first, {
    without: ({ problem, tried }) =>
      without(problem, tried).flatMap(({ problem: less, starts, ...what }) => {
        const rest = lacksOf(less) > -1 ? null : cheapest(less, starts);
        return rest ? [{ what, rest }] : [];
      }),
    // a mark brings its place along: it is judged by what its lengths gain without it
    offSigmas: ({ what, rest }) => (what.fact ? offOf(what.fact, rest.problem, rest.best.x)[1] : Infinity),
    // where a length explains it, that its mark with all its lengths would do so too is no other answer
    saysTheSame: ({ fact }, { mark }) => Boolean(fact && mark && pointsOfFact(fact).includes(mark)),
  });
  const warnings: Warning[] = found.left.map(({ what, rest, asWell }) =>
    what.fact ? PICTURE.LENGTH_LEFT_OUT(what.words, offOf(what.fact, rest.problem, rest.best.x)[0], asWell[0]?.mark ?? null) : PICTURE.MARK_OF_LENGTHS_LEFT_OUT(what.mark!),
  );
  if (found.undecided) warnings.push(PICTURE.LENGTH_UNDECIDED(found.undecided[0].words, found.undecided[1].words));
  const { problem, best, rival } = found.answer;
  return {
    problem,
    best,
    rival,
    misfit: misfitOf(found.answer),
    leftFacts: found.left.flatMap(({ what }) => what.fact ?? []),
    leftMarks: found.left.flatMap(({ what }) => what.mark ?? []),
    warnings,
  };
}

/** What may be wrong: a fact, or a mark. */
interface Thing {
  words: string;
  fact?: NetFact;
  mark?: string;
}
interface Without extends Thing {
  problem: LengthsProblem;
  starts: Float64Array[];
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

const checkFacts = (facts: readonly NetFact[]): void => {
  for (const f of facts) {
    const m = 'm' in f ? f.m : 0;
    if (![m, f.sigmaM].every(Number.isFinite)) throw new CoreError('NON_FINITE_INPUT', `${netFactWords(f)} is not made of numbers`, 'facts');
    if (!(f.sigmaM > 0) || (f.kind === 'tie' && !(f.m > 0))) throw new CoreError('INVALID_OPTION', `${netFactWords(f)}: ${m} ± ${f.sigmaM} m cannot be`, 'facts');
  }
};
