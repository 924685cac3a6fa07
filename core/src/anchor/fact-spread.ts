import { Matrix } from 'ml-matrix';
import { applySimilarity, type Similarity, type Vec3 } from '../math';
import type { AnchorInput } from './anchor-solve';
import type { PlaceRef, ScalarFact } from './facts';
import { pseudoInverse7 } from './pseudo-inverse';

/** How well the solve itself knows what the facts speak of, at one similarity. */
export interface FactSpread {
  similarity: Similarity;
  /** covariance of the facts' values from the solve's own, m² */
  own: Matrix;
  /** the same in the solve's inner datum, where size and place are not uncertain by themselves: what weighs the facts must not be able to
   *  trade the datum's freedom against the unevenness of level marks */
  inner: Matrix;
  /** columns of the solve's covariance for each fact */
  columns: { camera: Float64Array; point: Float64Array }[];
  /** covariance of each fact's value, in the inner datum, with the focal length, m·mm; none where the solve gives none */
  focal: number[];
}

type Row = { camera: Float64Array; point: Float64Array };

export const placeOf = (input: AnchorInput, ref: PlaceRef): Vec3 => (ref.kind === 'point' ? input.points[ref.index] : input.centers[ref.index]);

/** Values of the facts in the world that a similarity makes, minus what was measured. */
export const misfitsOf = (input: AnchorInput, list: readonly ScalarFact[], similarity: Similarity): number[] =>
  list.map((f) => f.evaluate(f.places.map((p) => applySimilarity(similarity, placeOf(input, p)))).valueM - f.measuredM);

/** d anchored place / d its unknowns in the solve: 3 × 3 for a point, 3 × 6 (rotation, translation) for a camera. */
export function placeJacobian(input: AnchorInput, similarity: Similarity, place: PlaceRef): Matrix {
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
  const j = new Matrix(3, 6);
  j.setSubMatrix(rt.mmul(tCross).mul(-1), 0, 0); // c = −Rᵀt, R ← exp(φ)R
  j.setSubMatrix(rt.mul(-1), 0, 3);
  return sr.mmul(j);
}

/** Both covariances of the facts' values; zero where the solve gives none. Costs two columns of the solve's covariance a fact. */
export function spreadOfFacts(input: AnchorInput, list: readonly ScalarFact[], similarity: Similarity): FactSpread {
  const own = Matrix.zeros(list.length, list.length);
  const inner = Matrix.zeros(list.length, list.length);
  if (!input.covariance || list.length === 0) return { similarity, own, inner, columns: [], focal: [] };
  const rows = list.map((f) => rowOf(input, f, similarity));
  const gauge = innerGauge(input);
  const innerRows = rows.map((row) => intoInnerDatum(input, row, gauge));
  const columns = rows.map((row) => input.covariance!.column(row.camera, row.point, 0));
  const innerColumns = innerRows.map((row) => input.covariance!.column(row.camera, row.point, 0));
  for (let i = 0; i < list.length; i += 1)
    for (let j = 0; j < list.length; j += 1) {
      own.set(i, j, sparseDot(rows[i], columns[j]) * input.variance);
      inner.set(i, j, sparseDot(innerRows[i], innerColumns[j]) * input.variance);
    }
  return { similarity, own, inner, columns, focal: innerColumns.map((c) => c.focal * input.variance) };
}

function rowOf(input: AnchorInput, f: ScalarFact, similarity: Similarity): Row {
  const row = { camera: new Float64Array(6 * input.centers.length), point: new Float64Array(3 * input.points.length) };
  const { gradients } = f.evaluate(f.places.map((p) => applySimilarity(similarity, placeOf(input, p))));
  f.places.forEach((place, q) => {
    const j = Matrix.rowVector([...gradients[q]]).mmul(placeJacobian(input, similarity, place));
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
function intoInnerDatum(input: AnchorInput, row: Row, gauge: Matrix): Row {
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
  const pull = gauge.mmul(Matrix.columnVector([...along])).to1DArray();
  const point = row.point.slice();
  input.points.forEach((x, i) => pointGauge(x).forEach((g, k) => [0, 1, 2].forEach((a) => (point[3 * i + a] -= g[a] * pull[k]))));
  return { camera: row.camera, point };
}

function innerGauge(input: AnchorInput): Matrix {
  const n = Matrix.zeros(7, 7);
  for (const x of input.points) {
    const g = pointGauge(x);
    for (let i = 0; i < 7; i += 1) for (let j = 0; j < 7; j += 1) n.set(i, j, n.get(i, j) + g[i][0] * g[j][0] + g[i][1] * g[j][1] + g[i][2] * g[j][2]);
  }
  return pseudoInverse7(n);
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

function sparseDot(row: Row, column: Row): number {
  let s = 0;
  for (let i = 0; i < row.camera.length; i += 1) if (row.camera[i] !== 0) s += row.camera[i] * column.camera[i];
  for (let i = 0; i < row.point.length; i += 1) if (row.point[i] !== 0) s += row.point[i] * column.point[i];
  return s;
}
