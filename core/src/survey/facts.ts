import type { Vec3 } from '../math';

/** What was measured on a set, or is known of it. Sigmas are one standard deviation, metres. World frame: Y up, the floor at 0. */
export type NetFact =
  | { kind: 'tie'; a: string; b: string; m: number; sigmaM: number }
  /** over the floor */
  | { kind: 'height'; id: string; m: number; sigmaM: number }
  /** both at one height */
  | { kind: 'level'; a: string; b: string; sigmaM: number }
  /** b straight above a */
  | { kind: 'plumb'; a: string; b: string; sigmaM: number }
  /** level distance from the upright wall on which a and b lie */
  | { kind: 'wall'; id: string; a: string; b: string; m: number; sigmaM: number };

/** A point whose place is known beforehand; sigma 0 on an axis: it defines the datum there. */
export interface KnownPoint {
  id: string;
  at: Vec3;
  sigmaM: Vec3;
}

export const pointsOfFact = (f: NetFact): string[] => (f.kind === 'height' ? [f.id] : f.kind === 'wall' ? [f.id, f.a, f.b] : [f.a, f.b]);

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
    if (kind === TIE) {
      const dx = x[b] - x[a],
        dy = x[b + 1] - x[a + 1],
        dz = x[b + 2] - x[a + 2];
      const d = Math.sqrt(dx * dx + dy * dy + dz * dz) || 1e-12;
      gradient[3] = dx / d;
      gradient[4] = dy / d;
      gradient[5] = dz / d;
      gradient[0] = -gradient[3];
      gradient[1] = -gradient[4];
      gradient[2] = -gradient[5];
      return d;
    }
    // level distance of p from the line a–b as seen from above: |(a − p) × (b − p)| / |b − a|
    const w0 = b,
      w1 = 3 * this.point[3 * r + 2];
    const ex = x[w1] - x[w0],
      ez = x[w1 + 2] - x[w0 + 2];
    const length = Math.sqrt(ex * ex + ez * ez) || 1e-12;
    const px = x[a] - x[w0],
      pz = x[a + 2] - x[w0 + 2];
    const area = ex * pz - ez * px;
    const sign = area < 0 ? -1 : 1;
    const d = (sign * area) / length;
    const [ux, uz] = [ex / length, ez / length];
    // the wall's direction turns with its ends
    const along = (px * ux + pz * uz) / length;
    gradient[0] = -sign * uz;
    gradient[2] = sign * ux;
    gradient[6] = sign * uz * along;
    gradient[8] = -sign * ux * along;
    gradient[3] = -gradient[0] - gradient[6];
    gradient[5] = -gradient[2] - gradient[8];
    return d;
  }
}
