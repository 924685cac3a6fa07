import { EigenvalueDecomposition, inverse, Matrix } from 'ml-matrix';
import { applySimilarity, expSO3, mulMat3, type Mat3, type Similarity, type Vec3 } from '../math';
import type { AnchorFacts } from '../solve/setup';
import { headingFact, lengthFact, onAxis, type PlaceRef, type ScalarFact } from './facts';
import { startSimilarity } from './start-similarity';

/** The unanchored solve as anchoring sees it. */
export interface AnchorInput {
  frames: readonly number[];
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
}

/** What became of one fact. Lengths in metres. */
export interface AnchorResidual {
  kind: ScalarFact['kind'];
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
}

export interface AnchorResult {
  similarity: Similarity;
  scaled: boolean;
  sigmaScale: number | null;
  datum: string[];
  residuals: AnchorResidual[];
  warnings: string[];
  positionSigmaM(place: PlaceRef): number | null;
}

/** A level mark is put down by eye on a floor: 5 mm. Definitions get a tenth of a millimetre, far below anything measured. */
const LEVEL_SIGMA_M = 0.005;
const DEFINITION_SIGMA_M = 1e-4;
/** Beyond 3.3 sigma (one in a thousand) a fact is not off by chance: Baarda's usual limit. */
const CONTRADICTION_SIGMAS = 3.3;
/** Added to the variance of a fact that is left out: a hundred metres weigh nothing against millimetres, and keep the matrix regular. */
const LEFT_OUT_VARIANCE_M2 = 1e4;
const DEFAULT_LENGTH_SIGMA_M = 0.003;
const DEFAULT_HEIGHT_SIGMA_M = 0.005;

/**
 * Ties a solve to the world by a weighted similarity, and never bends the solve to the facts.
 * Model    h_i(s R x + t) = l_i + e_i; the weight matrix is the inverse of diag(sigma²) + B C Bᵀ: a fact counts by its tolerance and by how
 *          well the solve itself knows the places that it speaks of. A camera height over a floor of few far points so weighs little.
 * Method   Gauss–Newton on rotation, log scale and translation; directions that no fact speaks of stay as they are.
 * Checks   A fact that contradicts the others beyond 3.3 sigma is left out and said, the worst one first. Each fact against all others by data snooping: Baarda, A testing procedure for use in geodetic networks (1968); with
 *          correlated weights as in Förstner, Reliability analysis (1987).
 * Sigmas   Solve's covariance through the anchoring: x' = (I − G A B) x + G A l (S-transformation, Baarda 1973).
 */
export function anchorSolve(input: AnchorInput, facts: AnchorFacts): AnchorResult {
  const warnings: string[] = [];
  const pointIndex = new Map(input.trackIds.map((id, i) => [id, i]));
  const frameIndex = new Map(input.frames.map((f, i) => [f, i]));
  const point = (id: string, where: string): PlaceRef | null => {
    const index = pointIndex.get(id);
    if (index === undefined) warnings.push(`${where}: ${id} is not among the solved points and was left out.`);
    return index === undefined ? null : { kind: 'point', index };
  };
  const at = (ref: PlaceRef): Vec3 => (ref.kind === 'point' ? input.points[ref.index] : input.centers[ref.index]);

  const level = (facts.level ?? []).flatMap((id) => point(id, 'Level') ?? []);
  const origin = facts.origin ? point(facts.origin, 'Origin') : null;
  const heading = facts.heading ? [point(facts.heading[0], 'Heading'), point(facts.heading[1], 'Heading')] : [null, null];
  const lengths = (facts.lengths ?? []).flatMap((l) => {
    const a = point(l.a, 'Length');
    const b = point(l.b, 'Length');
    return a && b ? [{ a, b, ...pick(l.m, l.sigmaM ?? DEFAULT_LENGTH_SIGMA_M), about: `${l.a}–${l.b}` }] : [];
  });
  const heights = (facts.cameraHeights ?? []).flatMap((h) => {
    const index = frameIndex.get(h.frame);
    if (index === undefined) warnings.push(`Camera height: frame ${h.frame} was not placed, so its height was left out.`);
    return index === undefined ? [] : [{ place: { kind: 'camera', index } as PlaceRef, ...pick(h.m, h.sigmaM ?? DEFAULT_HEIGHT_SIGMA_M), about: `frame ${h.frame}` }];
  });
  const surveyed = (facts.points ?? []).flatMap((p) => {
    const place = point(p.track, 'Surveyed point');
    return place ? [{ place, to: [p.x, p.y, p.z] as Vec3, sigmaM: p.sigmaM ?? 0.005, about: p.track }] : [];
  });

  const start = startSimilarity({
    levelPoints: level.map(at),
    surveyed: surveyed.map((s) => ({ from: at(s.place), to: s.to })),
    lengths: lengths.map((l) => ({ a: at(l.a), b: at(l.b), m: l.m })),
    cameraHeights: heights.map((h) => ({ at: at(h.place), m: h.m })),
    heading: heading[0] && heading[1] ? [at(heading[0]), at(heading[1])] : null,
    origin: origin ? at(origin) : null,
    cameras: input.rotations.map((r, i) => ({ center: input.centers[i], up: [-r[3], -r[4], -r[5]], forward: [r[6], r[7], r[8]] })),
  });
  let similarity = start.similarity;

  const list: ScalarFact[] = [];
  const datum: string[] = [];
  level.forEach((p) => list.push(onAxis('level', input.trackIds[p.index], p, 1, 0, LEVEL_SIGMA_M)));
  const hasSurvey = surveyed.length >= 3;
  if (level.length >= 3 && start.levelled) datum.push(`ground plane through ${level.length} level points`);
  else if (!hasSurvey) {
    datum.push('up from the camera’s mean up');
    warnings.push('No ground: fewer than three level points, so up is the camera’s mean up and camera heights are uncertain.');
  }
  if (!hasSurvey) {
    if (origin) {
      list.push(onAxis('origin', facts.origin!, origin, 0, 0, DEFINITION_SIGMA_M, true), onAxis('origin', facts.origin!, origin, 2, 0, DEFINITION_SIGMA_M, true));
      if (level.length === 0) list.push(onAxis('origin', facts.origin!, origin, 1, 0, DEFINITION_SIGMA_M, true));
      datum.push(`origin at ${facts.origin}`);
    } else {
      const first: PlaceRef = { kind: 'camera', index: 0 };
      const about = `frame ${input.frames[0]}`;
      list.push(onAxis('origin', about, first, 0, 0, DEFINITION_SIGMA_M, true), onAxis('origin', about, first, 2, 0, DEFINITION_SIGMA_M, true));
      datum.push(`origin below the camera at frame ${input.frames[0]}`);
    }
    if (heading[0] && heading[1]) {
      list.push(headingFact(`${facts.heading![0]} to ${facts.heading![1]}`, heading[0], heading[1], DEFINITION_SIGMA_M));
      datum.push(`+X from ${facts.heading![0]} to ${facts.heading![1]}`);
    } else datum.push('+X to the right of the first camera');
  } else datum.push(`${surveyed.length} surveyed points`);
  lengths.forEach((l) => list.push(lengthFact(l.about, l.a, l.b, l.m, l.sigmaM)));
  heights.forEach((h) => list.push(onAxis('cameraHeight', h.about, h.place, 1, h.m, h.sigmaM)));
  surveyed.forEach((s) => ([0, 1, 2] as const).forEach((axis) => list.push(onAxis('surveyed', `${s.about} ${'xyz'[axis]}`, s.place, axis, s.to[axis], s.sigmaM))));
  if (!start.scaled) warnings.push('No scale: neither a length nor a camera height over a ground was given; distances are in units of the solve.');

  const places = (f: ScalarFact) => f.places.map((p) => applySimilarity(similarity, at(p)));
  const leftOut = new Set<number>();
  let inner7: Matrix | null = null;
  let columns: { camera: Float64Array; point: Float64Array }[] = [];
  const bcb = Matrix.zeros(list.length, list.length);
  // the same in the solve's inner datum, where size and place are not uncertain by themselves: what weighs the facts must not be able
  // to trade the datum's freedom against the unevenness of level marks
  const innerBcb = Matrix.zeros(list.length, list.length);
  const weightOf = (): Matrix => {
    const sigma = innerBcb.clone();
    list.forEach((f, i) => sigma.set(i, i, sigma.get(i, i) + f.sigmaM ** 2 + (leftOut.has(i) ? LEFT_OUT_VARIANCE_M2 : 0)));
    return list.length > 0 ? inverse(symmetrise(sigma)) : sigma;
  };
  const propagate = () => {
    if (!input.covariance || list.length === 0) return;
    const b = list.map(solveRow);
    columns = b.map((row) => input.covariance!.column(row.camera, row.point, 0));
    const inner = b.map(intoInnerDatum);
    const innerColumns = inner.map((row) => input.covariance!.column(row.camera, row.point, 0));
    for (let i = 0; i < list.length; i += 1)
      for (let j = 0; j < list.length; j += 1) {
        bcb.set(i, j, sparseDot(b[i], columns[j]) * input.variance);
        innerBcb.set(i, j, sparseDot(inner[i], innerColumns[j]) * input.variance);
      }
  };
  propagate();
  // looked for before the first step: a grossly wrong fact would bend the similarity until its neighbours look wrong
  for (let round = 0; round < 5; round += 1) {
    const suspect = worstFact();
    if (suspect === null) break;
    leftOut.add(suspect);
  }
  gaussNewton(weightOf());
  propagate();
  let weight = weightOf();
  let { h, normalInverse } = gaussNewton(weight);
  const late = worstFact();
  if (late !== null && leftOut.size < 5) {
    leftOut.add(late);
    weight = weightOf();
    ({ h, normalInverse } = gaussNewton(weight));
  }
  const residuals: AnchorResidual[] = [];
  const snooped = snoop();
  const withAll = snoopWithAll();
  list.forEach((f, i) => {
    if (f.definition) return;
    // of two facts that only contradict each other one is left out: the other is still judged against it
    const { gap, sigmaGap, redundancy } = snooped[i].gap === null && leftOut.size > 0 ? withAll[i] : snooped[i];
    const solvedM = f.evaluate(places(f)).valueM;
    const own = f.sigmaM ** 2 + (leftOut.has(i) ? LEFT_OUT_VARIANCE_M2 : 0);
    const sigmaIndependentM = gap === null ? null : Math.sqrt(Math.max(0, sigmaGap! ** 2 - own));
    residuals.push({
      kind: f.kind,
      about: f.about,
      measuredM: f.measuredM,
      sigmaM: f.sigmaM,
      solvedM,
      residualM: f.measuredM - solvedM,
      independentM: gap === null ? null : f.measuredM + gap,
      sigmaIndependentM,
      redundancy,
      leftOut: leftOut.has(i),
      normalised: gap === null ? null : gap / Math.hypot(f.sigmaM, sigmaIndependentM!),
    });
  });
  for (const r of residuals) {
    if ((r.kind === 'length' || r.kind === 'cameraHeight') && r.normalised !== null && Math.abs(r.normalised) > 3.3) {
      warnings.push(
        `${r.kind === 'length' ? 'Length' : 'Camera height'} ${r.about}: measured ${r.measuredM.toFixed(3)} m, but the rest gives ${r.independentM!.toFixed(3)} ± ${r.sigmaIndependentM!.toFixed(3)} m. ${r.leftOut ? 'It was left out of the anchoring.' : 'Neither was forced.'}`,
      );
    }
  }

  // A: how the seven parameters follow the facts
  const a = normalInverse.mmul(h.transpose()).mmul(weight);
  const spread = list.length > 0 ? a.mmul(bcb.clone().add(Matrix.diag(list.map((f) => f.sigmaM ** 2)))).mmul(a.transpose()) : Matrix.zeros(7, 7);
  return {
    similarity,
    scaled: start.scaled,
    sigmaScale: start.scaled ? Math.sqrt(Math.max(0, spread.get(3, 3))) * similarity.scale : null,
    datum,
    residuals,
    warnings,
    positionSigmaM(place) {
      if (!input.covariance) return null;
      const j = placeJacobian(place); // 3 × its own unknowns
      const block = place.kind === 'point' ? input.covariance.pointBlock(place.index) : input.covariance.cameraBlock(place.index);
      const n = place.kind === 'point' ? 3 : 6;
      const own = new Matrix(n, n);
      for (let r = 0; r < n; r += 1) for (let c = 0; c < n; c += 1) own.set(r, c, block[r * n + c] * input.variance);
      const g = datumJacobian(applySimilarity(similarity, at(place)));
      const ga = g.mmul(a);
      const crossWith = new Matrix(n, list.length);
      columns.forEach((column, i) => {
        const source = place.kind === 'point' ? column.point : column.camera;
        for (let r = 0; r < n; r += 1) crossWith.set(r, i, source[place.index * n + r] * input.variance);
      });
      const jc = j.mmul(crossWith);
      const covariance = j.mmul(own).mmul(j.transpose()).sub(jc.mmul(ga.transpose())).sub(ga.mmul(jc.transpose())).add(g.mmul(spread).mmul(g.transpose()));
      return Math.sqrt(Math.max(0, covariance.get(0, 0) + covariance.get(1, 1) + covariance.get(2, 2)) / 3);
    },
  };

  /** What every fact's value would be by all the others, minus what was measured; at the present similarity, without moving it. */
  function snoop(): { gap: number | null; sigmaGap: number | null; redundancy: number }[] {
    if (list.length === 0) return [];
    const w = weightOf();
    const { h: design, inverseNormal } = normals(w);
    const q = inverse(w).sub(design.mmul(inverseNormal).mmul(design.transpose()));
    const projected = w.mmul(q).mmul(w);
    const misfit = Matrix.columnVector(list.map((f) => f.evaluate(places(f)).valueM - f.measuredM));
    const pull = projected.mmul(misfit);
    const share = q.mmul(w);
    return list.map((_, i) => {
      const control = projected.get(i, i);
      const redundancy = Math.max(0, Math.min(1, share.get(i, i)));
      // below a thousandth of its own weight nothing else speaks of it; what is left is rounding
      const checked = control > 0 && redundancy > 1e-3;
      return { gap: checked ? pull.get(i, 0) / control : null, sigmaGap: checked ? 1 / Math.sqrt(control) : null, redundancy };
    });
  }

  /** As snoop, with the facts that were left out counted in again. */
  function snoopWithAll(): ReturnType<typeof snoop> {
    const out = [...leftOut];
    leftOut.clear();
    const result = snoop();
    out.forEach((i) => leftOut.add(i));
    return result;
  }

  /**
   * The measured fact that contradicts the others most, where it does beyond chance. Two that contradict each other look nearly alike
   * (their test values differ by what the rest adds): then the weaker one, by its tolerance and by how well the solve knows its places.
   */
  function worstFact(): number | null {
    const all = snoop().map(({ gap, sigmaGap }, i) => (gap === null || leftOut.has(i) || list[i].definition ? 0 : Math.abs(gap) / sigmaGap!));
    // a wrong length tilts the floor and makes level marks look wrong: those are doubted last
    const measured = all.map((t, i) => (list[i].kind === 'level' ? 0 : t));
    const tests = Math.max(0, ...measured) > CONTRADICTION_SIGMAS ? measured : all;
    const most = Math.max(0, ...tests);
    if (most <= CONTRADICTION_SIGMAS) return null;
    const alike = tests.flatMap((t, i) => (t >= 0.85 * most && t > CONTRADICTION_SIGMAS ? [i] : []));
    return alike.reduce((a, b) => (relativeSigma(b) > relativeSigma(a) ? b : a));
  }
  function relativeSigma(i: number): number {
    return Math.sqrt(list[i].sigmaM ** 2 + bcb.get(i, i)) / Math.max(1e-9, Math.abs(list[i].measuredM));
  }

  /** d place / d(rotation, log scale, translation) of the similarity, 3×7 */
  function datumJacobian(p: Vec3): Matrix {
    const [x, y, z] = [p[0] - similarity.translation[0], p[1] - similarity.translation[1], p[2] - similarity.translation[2]];
    return new Matrix([
      [0, z, -y, x, 1, 0, 0],
      [-z, 0, x, y, 0, 1, 0],
      [y, -x, 0, z, 0, 0, 1],
    ]);
  }

  /** d anchored place / d its unknowns in the solve */
  function placeJacobian(place: PlaceRef): Matrix {
    const sr = Matrix.from1DArray(3, 3, [...similarity.rotation]).mul(similarity.scale);
    if (place.kind === 'point') return sr;
    const r = input.rotations[place.index];
    const [tx, ty, tz] = input.translations[place.index];
    const rt = Matrix.from1DArray(3, 3, [r[0], r[3], r[6], r[1], r[4], r[7], r[2], r[5], r[8]]);
    const tCross = new Matrix([
      [0, -tz, ty],
      [tz, 0, -tx],
      [-ty, tx, 0],
    ]);
    const dPhi = rt.mmul(tCross).mul(-1); // c = −Rᵀt, R ← exp(φ)R
    const dT = rt.mul(-1);
    const j = new Matrix(3, 6);
    j.setSubMatrix(dPhi, 0, 0);
    j.setSubMatrix(dT, 0, 3);
    return sr.mmul(j);
  }

  function solveRow(f: ScalarFact) {
    const row = { camera: new Float64Array(6 * input.centers.length), point: new Float64Array(3 * input.points.length) };
    const { gradients } = f.evaluate(places(f));
    f.places.forEach((place, q) => {
      const j = Matrix.rowVector([...gradients[q]]).mmul(placeJacobian(place));
      const target = place.kind === 'point' ? row.point : row.camera;
      const n = place.kind === 'point' ? 3 : 6;
      for (let k = 0; k < n; k += 1) target[place.index * n + k] += j.get(0, k);
    });
    return row;
  }

  /**
   * A row of facts as it reads in the datum of inner constraints over the points: x → x − G (GpᵀGp)⁻¹ Gpᵀ x, with G the seven directions in
   * which the whole solve turns, grows and shifts. Source: Förstner & Wrobel 2016, sec. 4.5 (free gauge); S-transformation, Baarda 1973.
   */
  function intoInnerDatum(row: ReturnType<typeof solveRow>): ReturnType<typeof solveRow> {
    const along = new Float64Array(7);
    input.points.forEach((x, i) => pointGauge(x).forEach((g, k) => (along[k] += g[0] * row.point[3 * i] + g[1] * row.point[3 * i + 1] + g[2] * row.point[3 * i + 2])));
    input.rotations.forEach((r, i) => {
      const t = input.translations[i];
      const [phi, shift] = [row.camera.subarray(6 * i, 6 * i + 3), row.camera.subarray(6 * i + 3, 6 * i + 6)];
      for (let k = 0; k < 3; k += 1)
        for (let a = 0; a < 3; a += 1) {
          along[k] -= r[3 * a + k] * phi[a];
          along[4 + k] -= r[3 * a + k] * shift[a];
        }
      along[3] += t[0] * shift[0] + t[1] * shift[1] + t[2] * shift[2];
    });
    const share = Matrix.columnVector([...along]);
    const pull = innerNormal().mmul(share).to1DArray();
    const point = row.point.slice();
    input.points.forEach((x, i) => pointGauge(x).forEach((g, k) => [0, 1, 2].forEach((a) => (point[3 * i + a] -= g[a] * pull[k]))));
    return { camera: row.camera, point };
  }

  function innerNormal(): Matrix {
    if (inner7) return inner7;
    const n = Matrix.zeros(7, 7);
    for (const x of input.points) {
      const g = pointGauge(x);
      for (let i = 0; i < 7; i += 1) for (let j = 0; j < 7; j += 1) n.set(i, j, n.get(i, j) + g[i][0] * g[j][0] + g[i][1] * g[j][1] + g[i][2] * g[j][2]);
    }
    inner7 = pseudoInverse7(n);
    return inner7;
  }

  function normals(w: Matrix): { h: Matrix; inverseNormal: Matrix; htw: Matrix } {
    const design = Matrix.zeros(list.length, 7);
    list.forEach((f, i) => {
      const p = places(f);
      const { gradients } = f.evaluate(p);
      p.forEach((place, q) => {
        const row = Matrix.rowVector([...gradients[q]]).mmul(datumJacobian(place));
        for (let k = 0; k < 7; k += 1) design.set(i, k, design.get(i, k) + row.get(0, k));
      });
      // by the scale, a level mark counts as lying on the ground: its own unevenness would say "smaller", since shrinking the set to a
      // point makes every floor even, and a dozen marks put down to 5 mm then outvoted a measured length
      if (f.kind === 'level') design.set(i, 3, design.get(i, 3) + f.measuredM - p[0][1]);
    });
    const htw = design.transpose().mmul(w);
    return { h: design, htw, inverseNormal: pseudoInverse7(htw.mmul(design)) };
  }

  function gaussNewton(w: Matrix): { h: Matrix; normalInverse: Matrix } {
    if (list.length === 0) return { h: Matrix.zeros(0, 7), normalInverse: Matrix.zeros(7, 7) };
    for (let iteration = 0; iteration < 20; iteration += 1) {
      const { htw, inverseNormal } = normals(w);
      const v = list.map((f) => f.measuredM - f.evaluate(places(f)).valueM);
      const step = inverseNormal.mmul(htw).mmul(Matrix.columnVector(v)).to1DArray();
      const turn = expSO3([step[0], step[1], step[2]]);
      similarity = {
        scale: similarity.scale * Math.exp(Math.max(-0.5, Math.min(0.5, step[3]))),
        rotation: mulMat3(turn, similarity.rotation),
        // the similarity turns and scales about its own translation, as datumJacobian says
        translation: [similarity.translation[0] + step[4], similarity.translation[1] + step[5], similarity.translation[2] + step[6]],
      };
      if (Math.hypot(...step) < 1e-12) break;
    }
    const { h: design, inverseNormal } = normals(w);
    return { h: design, normalInverse: inverseNormal };
  }
}

/** How a point goes when the solve turns about x, y, z, grows, and shifts along x, y, z. */
const pointGauge = ([x, y, z]: Vec3): Vec3[] => [
  [0, -z, y],
  [z, 0, -x],
  [-y, x, 0],
  [x, y, z],
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];

const pick = (m: number, sigmaM: number) => ({ m, sigmaM });

const symmetrise = (m: Matrix): Matrix => m.clone().add(m.transpose()).mul(0.5);

function sparseDot(row: { camera: Float64Array; point: Float64Array }, column: { camera: Float64Array; point: Float64Array }): number {
  let s = 0;
  for (let i = 0; i < row.camera.length; i += 1) if (row.camera[i] !== 0) s += row.camera[i] * column.camera[i];
  for (let i = 0; i < row.point.length; i += 1) if (row.point[i] !== 0) s += row.point[i] * column.point[i];
  return s;
}

/** Inverse over the directions that the facts determine, after scaling to unit diagonal; the others get no step and no variance. */
function pseudoInverse7(n: Matrix): Matrix {
  const d = Array.from({ length: 7 }, (_, i) => (n.get(i, i) > 0 ? 1 / Math.sqrt(n.get(i, i)) : 0));
  const scaled = new Matrix(7, 7);
  for (let i = 0; i < 7; i += 1) for (let j = 0; j < 7; j += 1) scaled.set(i, j, n.get(i, j) * d[i] * d[j]);
  const values = eigen(scaled);
  const out = Matrix.zeros(7, 7);
  const largest = Math.max(...values.map((v) => v.value));
  for (const { value, vector } of values) {
    if (!(value > 1e-11 * largest)) continue;
    for (let i = 0; i < 7; i += 1) for (let j = 0; j < 7; j += 1) out.set(i, j, out.get(i, j) + (d[i] * vector[i] * vector[j] * d[j]) / value);
  }
  return out;
}

function eigen(m: Matrix): { value: number; vector: number[] }[] {
  const evd = new EigenvalueDecomposition(symmetrise(m), { assumeSymmetric: true });
  return evd.realEigenvalues.map((value, k) => ({ value, vector: evd.eigenvectorMatrix.getColumn(k) }));
}
