import { distanceFromWall, lengthBetween } from './measures';
import { pointsOfFact, type NetFact } from './set-facts';

const TIE = 0,
  COORDINATE = 1,
  DIFFERENCE = 2,
  WALL = 3;

/** What defines a datum is held to so much, m: far below any tape. */
export const DEFINITION_M = 1e-5;

/**
 * Facts as rows of numbers: computed(x) = measured ± sigma. A plumb line gives two rows, a known point three. `fact` is the index of the fact,
 * −1 for known points and for what only defines the datum.
 */
export class NetRows {
  readonly kind: number[] = [];
  /** points of row r at [3 r], [3 r + 1], [3 r + 2]; −1: none */
  readonly point: number[] = [];
  readonly axis: number[] = [];
  readonly measured: number[] = [];
  readonly sigma: number[] = [];
  readonly fact: number[] = [];
  /** of each row; 0 leaves it out */
  weight: number[] = [];

  get count(): number {
    return this.kind.length;
  }

  private put(kind: number, points: readonly number[], axis: number, measured: number, sigma: number, fact: number): void {
    this.kind.push(kind);
    for (let k = 0; k < 3; k += 1) this.point.push(points[k] ?? -1);
    this.axis.push(axis);
    this.measured.push(measured);
    this.sigma.push(sigma);
    this.fact.push(fact);
    this.weight.push(1);
  }

  addFact(f: NetFact, i: number, index: ReadonlyMap<string, number>): void {
    const at = pointsOfFact(f).map((id) => index.get(id));
    if (at.some((p) => p === undefined)) return;
    const p = at as number[];
    switch (f.kind) {
      case 'tie':
        return this.put(TIE, p, 0, f.m, f.sigmaM, i);
      case 'height':
        return this.put(COORDINATE, p, 1, f.m, f.sigmaM, i);
      case 'level':
        return this.put(DIFFERENCE, p, 1, 0, f.sigmaM, i);
      case 'plumb':
        this.put(DIFFERENCE, p, 0, 0, f.sigmaM, i);
        return this.put(DIFFERENCE, p, 2, 0, f.sigmaM, i);
      case 'wall':
        return this.put(WALL, p, 0, f.m, f.sigmaM, i);
    }
  }

  /** One coordinate of a point: known beforehand, or taken for the datum. */
  addCoordinate(point: number, axis: number, value: number, sigma: number): void {
    this.put(COORDINATE, [point], axis, value, Math.max(DEFINITION_M, sigma), -1);
  }

  /** How many sigmas measured and computed lie apart. `scratch`: nine numbers that may be overwritten. */
  offSigmas(r: number, x: Float64Array, scratch: Float64Array): number {
    return Math.abs(this.measured[r] - this.evaluate(r, x, scratch)) / this.sigma[r];
  }

  /** Takes back all rows from `count` on. */
  truncate(count: number): void {
    this.point.length = 3 * count;
    for (const list of [this.kind, this.axis, this.measured, this.sigma, this.fact, this.weight]) list.length = count;
  }

  /** Computed value of a row at x (three numbers a point); its derivatives by the coordinates of its points go to `gradient`. */
  evaluate(r: number, x: Float64Array, gradient: Float64Array): number {
    const kind = this.kind[r];
    const a = 3 * this.point[3 * r],
      b = 3 * this.point[3 * r + 1];
    gradient.fill(0);
    if (kind === COORDINATE) {
      gradient[this.axis[r]] = 1;
      return x[a + this.axis[r]];
    }
    if (kind === DIFFERENCE) {
      gradient[this.axis[r]] = -1;
      gradient[3 + this.axis[r]] = 1;
      return x[b + this.axis[r]] - x[a + this.axis[r]];
    }
    const c = 3 * this.point[3 * r + 2];
    return kind === TIE ? lengthBetween(x, a, b, gradient) : distanceFromWall(x, a, b, c, gradient);
  }
}
