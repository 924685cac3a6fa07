import { Matrix } from 'ml-matrix';
import { applySimilarity, mulMatVec, norm, sub, type Mat3, type Similarity, type Vec3 } from '../math';
import type { AnchorFacts } from '../facts';
import { readFacts } from './anchor-facts';
import { chooseFacts, type FactGroup } from '../estimate';
import { misfitsOf, placeJacobian, placeOf, spreadOfFacts, type FactSpread } from './fact-spread';
import type { PlaceRef, ScalarFact } from './facts';
import { focalTold, type FocalTold } from './focal-told';
import { datumJacobian, fitFacts, LEFT_OUT_VARIANCE_M2, fitRoughly, snoopFacts, type FactFit, type Snooped } from './fit-facts';
import { startSimilarity } from './start-similarity';
import { undecidedOf } from './undecided';
import { ANCHOR, type Warning } from '../warnings';

/** The unanchored solve as anchoring sees it. */
export interface AnchorInput {
  frames: readonly number[];
  /** the last frame that was tracked, placed or not; default the last placed one */
  lastFrame?: number;
  centers: readonly Vec3[];
  /** world-to-camera rotations */
  rotations: readonly Mat3[];
  translations: readonly Vec3[];
  trackIds: readonly string[];
  points: readonly Vec3[];
  /** variance of one coordinate of a residual, px²; scales the covariance */
  variance: number;
  /** columns and diagonal blocks of the solve's covariance; null when it could not be had */
  covariance: SolveCovariance | null;
}

export interface SolveCovariance {
  column(camera: Float64Array, point: Float64Array, focal: number): { camera: Float64Array; point: Float64Array; focal: number };
  cameraBlock(camera: number): Float64Array;
  pointBlock(point: number): Float64Array;
  /** 0 where it is held */
  focalVariance?(): number;
}

/** What became of one fact. Lengths in metres. */
export interface AnchorResidual {
  kind: ScalarFact['kind'];
  /** which one of its kind, as the setup lists them; missing in results from before it was kept */
  index?: number;
  about: string;
  measuredM: number;
  sigmaM: number;
  /** value in the anchored solve, this fact taking part */
  solvedM: number;
  residualM: number;
  /** value that the solve and all other facts give, without this one; null when nothing else speaks of it */
  independentM: number | null;
  sigmaIndependentM: number | null;
  /** share of the fact that the others control, 0…1 */
  redundancy: number;
  /** difference to the independent value over its own sigma; null when not controlled */
  normalised: number | null;
  /** it contradicted the others beyond chance and took no part in the anchoring */
  leftOut: boolean;
  /** it contradicts others, and the data do not say which of them is wrong; it may or may not have taken part */
  undecided?: boolean;
}

/** One of several worlds that the facts allow: the one that is shown first, and each that is as possible. */
export interface AnchorWorld {
  /** facts that are wrong if it is the true one, in words */
  wrong: string[];
  scale: number;
  sigmaScale: number | null;
  /** height of the camera at the first frame over the ground, metres */
  cameraHeightM: number;
}

/** Facts contradict each other and nothing tells which is wrong: what each answer would mean, and what would decide. */
export interface Undecided {
  worlds: AnchorWorld[];
  /** which measurement would tell them apart, and what it would read in each */
  decide: string;
}

/** Upper triangle of a symmetric 3 × 3 by rows: xx, xy, xz, yy, yz, zz. */
export type PlaceCovariance = [number, number, number, number, number, number];
/** One standard deviation of a place by coordinate, as the root of the mean of the three variances. */
export const meanSigma = (c: PlaceCovariance): number => Math.sqrt(Math.max(0, c[0] + c[3] + c[5]) / 3);

export interface AnchorResult {
  similarity: Similarity;
  scaled: boolean;
  sigmaScale: number | null;
  datum: string[];
  residuals: AnchorResidual[];
  warnings: Warning[];
  /** null when the facts agree, or when it is clear which are wrong */
  undecided: Undecided | null;
  /** what the facts say of the focal length by the shape of the set; null where they say nothing, or contradict each other */
  focalTold: FocalTold | null;
  /** covariance of a place in the world, m²: xx, xy, xz, yy, yz, zz; null when the solve gave none */
  positionCovarianceM2(place: PlaceRef): PlaceCovariance | null;
  /** tilt and roll of a camera with one standard deviation, rad; null when nothing tells what is up, or the solve gave no sigmas */
  anglesOf(camera: number): { tiltRad: number; rollRad: number; sigmaTiltRad: number; sigmaRollRad: number } | null;
}

/** A world as it was fitted, with what snooping says in it. */
interface Fitted {
  /** groups that are left out */
  out: readonly number[];
  fit: FactFit;
  spread: FactSpread;
  snooped: Snooped[];
}

/**
 * Ties a solve to the world by a weighted similarity, and never bends the solve to the facts.
 * Model    h_i(s R x + t) = l_i + e_i; the weight matrix is the inverse of diag(sigma²) + B C Bᵀ: a fact counts by its tolerance and by how
 *          well the solve itself knows the places that it speaks of. A camera height over a floor of few far points so weighs little.
 * Method   Gauss–Newton on rotation, log scale and translation; directions that no fact speaks of stay as they are.
 * Choice   Which facts hold is judged by what remains (estimate/choose-facts): the answer that leaves the least misfit for the fewest facts left
 *          out. Where another answer is as possible that is said, with both worlds and what would decide.
 * Checks   Each fact against all others by data snooping: Baarda, A testing procedure for use in geodetic networks (1968); with
 *          correlated weights as in Förstner, Reliability analysis (1987).
 * Sigmas   Solve's covariance through the anchoring: x' = (I − G A B) x + G A l (S-transformation, Baarda 1973). Of undecided worlds
 *          the scale's sigma spans both.
 */
export function anchorSolve(input: AnchorInput, facts: AnchorFacts): AnchorResult {
  const read = readFacts(input, facts);
  const { list, warnings } = read;
  const groups = groupsOf(list);
  const isOut = (out: readonly number[]) => {
    const left = new Set(out.flatMap((g) => groups[g].facts));
    return (fact: number) => left.has(fact);
  };
  const startOf = (out: readonly number[]) => startSimilarity(read.start((group) => !out.some((g) => groups[g].id === group)));
  // what the solve knows of its places turns with the similarity, and is asked of it once for each turn that matters
  const spreads: FactSpread[] = [];
  const spreadAt = (similarity: Similarity): FactSpread => {
    const near = spreads.find((s) => turnBetween(s.similarity.rotation, similarity.rotation) < SAME_TURN_RAD);
    if (near) return near;
    const made = spreadOfFacts(input, list, similarity);
    spreads.push(made);
    return made;
  };
  const roughly = (out: readonly number[], evenAt: number) => {
    const start = startOf(out);
    // an answer without a scale where there is one is no answer
    if (!start.scaled && startOf([]).scaled) return { similarity: start.similarity, misfit: Infinity, off: new Float64Array(list.length) };
    return fitRoughly(input, list, spreadAt(start.similarity), start.similarity, isOut(out), evenAt);
  };
  const choose = (evenAt: number) =>
    chooseFacts(
      groups,
      (out) => {
        const { misfit, off } = roughly(out, evenAt);
        return { misfit, off: groups.map((g) => g.facts.reduce((s, i) => s + off[i], 0)) };
      },
      consensusStarts(groups, list),
    );
  // marks are as uneven as their tolerance says in the smallest world that is possible: in a larger one none would be level
  const rough = choose(startOf([]).similarity.scale);
  const possible = [rough.best, ...rough.rivals].map(({ out }) => roughly(out, startOf(out).similarity.scale).similarity.scale);
  const choice = choose(Math.min(...possible));
  const world = (out: readonly number[]): Fitted => {
    const rough = fitFacts(input, list, spreadAt(startOf(out).similarity), startOf(out).similarity, isOut(out));
    const spread = spreadOfFacts(input, list, rough.similarity);
    const fit = fitFacts(input, list, spread, rough.similarity, isOut(out));
    return { out, fit, spread: spreadOfFacts(input, list, fit.similarity), snooped: snoopFacts(input, list, fit) };
  };
  const shown = world(choice.best.out);
  const rivals = choice.rivals.map((r) => world(r.out));
  const { scaled } = startOf(choice.best.out);
  const datum = read.datum(startOf(choice.best.out).levelled);
  if (!scaled) warnings.push(ANCHOR.NO_SCALE());

  const sigmaScaleOf = (w: Fitted): number => Math.sqrt(Math.max(0, spreadOfParameters(w, list).spread.get(3, 3))) * w.fit.similarity.scale;
  const wordsOf = (w: Fitted) => w.out.map((g) => factWords(list[groups[g].facts[0]]));
  const undecided =
    rivals.length > 0
      ? undecidedOf(
          input,
          read,
          [shown, ...rivals].map((w) => ({ wrong: wordsOf(w), similarity: w.fit.similarity, sigmaScale: scaled ? sigmaScaleOf(w) : null })),
        )
      : null;
  const open = new Set(undecided ? [shown, ...rivals].flatMap((w) => w.out) : []);
  const residuals = residualsOf(input, list, groups, shown, rivals, open);
  warnings.push(...warningsOf(residuals, undecided));

  const { similarity } = shown.fit;
  const { a, spread } = spreadOfParameters(shown, list);
  const apart = Math.max(0, ...rivals.map((r) => Math.abs(r.fit.similarity.scale - similarity.scale)));
  const upright = startOf(choice.best.out).levelled;
  return {
    similarity,
    scaled,
    anglesOf: (camera) => (upright && input.covariance ? anglesOf(input, shown, spread, camera) : null),
    sigmaScale: scaled ? Math.hypot(sigmaScaleOf(shown), undecided ? apart : 0) : null,
    datum,
    residuals,
    warnings,
    undecided,
    focalTold: undecided ? null : focalTold(input, list, shown.fit, shown.spread, (input.covariance?.focalVariance?.() ?? 0) * input.variance, isOut(shown.out)),
    positionCovarianceM2(place) {
      if (!input.covariance) return null;
      const c = covarianceOfPlace(input, shown, a, spread, place);
      if (!undecided) return c;
      // where a rival world puts it is as possible
      const p = applySimilarity(similarity, placeOf(input, place));
      const far = rivals.map((r) => sub(applySimilarity(r.fit.similarity, placeOf(input, place)), p)).sort((q, o) => norm(o) - norm(q))[0];
      return c.map((v, i) => v + far[TRIANGLE[i][0]] * far[TRIANGLE[i][1]]) as PlaceCovariance;
    },
  };
}

/** Beyond it the solve's knowledge of heights and lengths is asked again. */
const SAME_TURN_RAD = 0.05;
const turnBetween = (a: Mat3, b: Mat3): number => Math.acos(Math.max(-1, Math.min(1, (a.reduce((s, v, i) => s + v * b[i], 0) - 1) / 2)));

/** Facts that hold or are wrong together; definitions are not judged and belong to none. */
function groupsOf(list: readonly ScalarFact[]): FactGroup[] {
  const byId = new Map<string, number[]>();
  list.forEach((f, i) => {
    if (!f.definition) byId.set(f.group, [...(byId.get(f.group) ?? []), i]);
  });
  return [...byId].map(([id, facts]) => ({ id, facts }));
}

/** Answers to begin with when there are many facts: each that gives a scale alone, with none of the others. */
function consensusStarts(groups: readonly FactGroup[], list: readonly ScalarFact[]): number[][] {
  const scales = groups.flatMap((g, i) => (['length', 'distance', 'cameraHeight'].includes(list[g.facts[0]].kind) ? [i] : []));
  return scales.map((alone) => scales.filter((g) => g !== alone));
}

/** A: how the seven parameters follow the facts; and their covariance. */
function spreadOfParameters({ fit, spread }: Fitted, list: readonly ScalarFact[]): { a: Matrix; spread: Matrix } {
  if (list.length === 0) return { a: Matrix.zeros(7, 0), spread: Matrix.zeros(7, 7) };
  const a = fit.normalInverse.mmul(fit.design.transpose()).mmul(fit.weight);
  return { a, spread: a.mmul(spread.own.clone().add(Matrix.diag(list.map((f) => f.sigmaM ** 2)))).mmul(a.transpose()) };
}

/**
 * Tilt is the height of the line of sight, roll the lean of the picture's rows, both against the anchored up. Their sigmas join the turn of
 * the whole world, as the facts know it, and the camera's own.
 */
function anglesOf(input: AnchorInput, w: Fitted, spread: Matrix, camera: number): NonNullable<ReturnType<AnchorResult['anglesOf']>> {
  const r = input.rotations[camera];
  const world = w.fit.similarity.rotation;
  const inWorld = (row: 0 | 1 | 2): Vec3 => mulMatVec(world, [r[3 * row], r[3 * row + 1], r[3 * row + 2]]);
  const [right, down, forward] = [inWorld(0), inWorld(1), inWorld(2)];
  const tiltRad = Math.asin(Math.max(-1, Math.min(1, forward[1])));
  // seen from behind, clockwise lowers the right-hand side
  const rollRad = Math.atan2(-right[1], -down[1]);
  const block = input.covariance!.cameraBlock(camera);
  // a turn ω of the world moves an axis by ω × axis; its height by ω_z a_x − ω_x a_z
  const variance = (axis: Vec3): number => {
    const g = [-axis[2], 0, axis[0]];
    return g.reduce((s, gi, i) => s + g.reduce((q, gj, j) => q + gi * gj * spread.get(i, j), 0), 0);
  };
  const own = (k: number) => block[k * 6 + k] * input.variance;
  const level = Math.max(1e-6, Math.hypot(right[1], down[1]));
  return { tiltRad, rollRad, sigmaTiltRad: Math.sqrt(Math.max(0, variance(forward) + own(0))), sigmaRollRad: Math.sqrt(Math.max(0, variance(right) / level ** 2 + own(2))) };
}

const TRIANGLE = [
  [0, 0],
  [0, 1],
  [0, 2],
  [1, 1],
  [1, 2],
  [2, 2],
] as const;

function covarianceOfPlace(input: AnchorInput, w: Fitted, a: Matrix, spread: Matrix, place: PlaceRef): PlaceCovariance {
  const { similarity } = w.fit;
  const j = placeJacobian(input, similarity, place); // 3 × its own unknowns
  const block = place.kind === 'point' ? input.covariance!.pointBlock(place.index) : input.covariance!.cameraBlock(place.index);
  const n = place.kind === 'point' ? 3 : 6;
  const own = new Matrix(n, n);
  for (let r = 0; r < n; r += 1) for (let c = 0; c < n; c += 1) own.set(r, c, block[r * n + c] * input.variance);
  const g = datumJacobian(similarity, applySimilarity(similarity, placeOf(input, place)));
  const ga = g.mmul(a);
  const crossWith = new Matrix(n, w.spread.columns.length);
  w.spread.columns.forEach((column, i) => {
    const source = place.kind === 'point' ? column.point : column.camera;
    for (let r = 0; r < n; r += 1) crossWith.set(r, i, source[place.index * n + r] * input.variance);
  });
  const jc = j.mmul(crossWith);
  const covariance = j.mmul(own).mmul(j.transpose()).sub(jc.mmul(ga.transpose())).sub(ga.mmul(jc.transpose())).add(g.mmul(spread).mmul(g.transpose()));
  return TRIANGLE.map(([r, c]) => (covariance.get(r, c) + covariance.get(c, r)) / 2) as PlaceCovariance;
}

/** What became of each measured fact. One that a rival world leaves out is judged by that world, in which it took no part. */
function residualsOf(input: AnchorInput, list: readonly ScalarFact[], groups: readonly FactGroup[], shown: Fitted, rivals: readonly Fitted[], open: ReadonlySet<number>): AnchorResidual[] {
  const misfits = misfitsOf(input, list, shown.fit.similarity);
  return list.flatMap((f, i): AnchorResidual[] => {
    if (f.definition) return [];
    const group = groups.findIndex((g) => g.id === f.group);
    const leftOut = shown.out.includes(group);
    const judge = leftOut || !open.has(group) ? shown : (rivals.find((r) => r.out.includes(group)) ?? shown);
    const { gap, sigmaGap, redundancy } = judge.snooped[i];
    const own = f.sigmaM ** 2 + (judge.out.includes(group) ? LEFT_OUT_VARIANCE_M2 : 0);
    const sigmaIndependentM = gap === null ? null : Math.sqrt(Math.max(0, sigmaGap! ** 2 - own));
    return [
      {
        kind: f.kind,
        index: f.index,
        about: f.about,
        measuredM: f.measuredM,
        sigmaM: f.sigmaM,
        solvedM: f.measuredM + misfits[i],
        residualM: -misfits[i],
        independentM: gap === null ? null : f.measuredM + gap,
        sigmaIndependentM,
        redundancy,
        normalised: gap === null ? null : gap / Math.hypot(f.sigmaM, sigmaIndependentM!),
        leftOut,
        undecided: open.has(group),
      },
    ];
  });
}

/** "Length m1–m4", "Camera height, frame 1", "Level mark m2", "Surveyed place m3" */
export function factWords(f: Pick<ScalarFact, 'kind' | 'about'>): string {
  if (f.kind === 'length') return `Length ${f.about}`;
  if (f.kind === 'distance') return `Distance to ${f.about}`;
  if (f.kind === 'cameraHeight') return `Camera height, ${f.about}`;
  if (f.kind === 'surveyed') return `Surveyed place ${f.about.replace(/ [xyz]$/, '')}`;
  if (f.kind === 'cameraPlace') return `Place of the camera, ${f.about.replace(/ [xyz]$/, '')}`;
  return `Level mark ${f.about}`;
}

/** A place is three numbers. */
const ofThree = ({ kind }: Pick<ScalarFact, 'kind'>): boolean => kind === 'surveyed' || kind === 'cameraPlace';

/** Beyond it a fact that was kept is worth a word. */
const WORTH_A_WORD = 3.3;

function warningsOf(residuals: readonly AnchorResidual[], undecided: Undecided | null): Warning[] {
  const warnings: Warning[] = [];
  const said = new Set<string>();
  for (const r of residuals) {
    const what = factWords(r);
    // three numbers of one surveyed place are one word, and what is undecided is said once for all
    if (said.has(`${what} ${r.index}`) || r.undecided) continue;
    if (!r.leftOut && !(r.normalised !== null && Math.abs(r.normalised) > WORTH_A_WORD)) continue;
    if (
      r.leftOut &&
      ofThree(r) &&
      !(r.normalised !== null && Math.abs(r.normalised) > WORTH_A_WORD) &&
      residuals.some((o) => o !== r && o.kind === r.kind && o.index === r.index && Math.abs(o.normalised ?? 0) > WORTH_A_WORD)
    )
      continue;
    said.add(`${what} ${r.index}`);
    const rest = r.independentM === null ? '' : `measured ${r.measuredM.toFixed(3)} m, but the rest gives ${r.independentM.toFixed(3)} ± ${r.sigmaIndependentM!.toFixed(3)} m. `;
    warnings.push(ANCHOR[r.leftOut ? 'FACT_LEFT_OUT' : 'FACT_NOT_FORCED'](`${what}${ofThree(r) ? `, ${r.about.slice(-1)}` : ''}`, rest));
  }
  if (undecided) {
    const [first, ...others] = undecided.worlds.map((w) => w.wrong.join(' and '));
    warnings.push(ANCHOR.FACTS_UNDECIDED(first, others, undecided.decide));
  }
  return warnings;
}
