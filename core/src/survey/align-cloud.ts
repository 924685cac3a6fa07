import { CoreError } from '../errors';
import { leastSquares } from '../estimate';
import { expSO3, mulMatVec, type Mat3, type Vec3 } from '../math';
import { rowsOf, type Net, type Places } from './net';

/** Turns and moves a cloud so that heights, plumb lines and known points fit; tried from all sides, and mirrored. */
export function alignCloud(net: Net, placed: Places): Places {
  const { rows, order } = rowsOf(net, placed, true);
  const outer: number[] = [];
  for (let r = 0; r < rows.count; r += 1) if (rows.fact[r] < 0 || net.facts[rows.fact[r]].kind !== 'tie') outer.push(r);
  if (outer.length === 0) return placed;
  const at = order.map((p) => placed.get(p)!);
  const mean = [0, 1, 2].map((a) => at.reduce((s, q) => s + q[a] / at.length, 0));
  const local = at.map((q): Vec3 => [q[0] - mean[0], q[1] - mean[1], q[2] - mean[2]]);
  const g = new Float64Array(9);
  const jac = new Float64Array(6);
  const x = new Float64Array(3 * order.length);
  const put = (start: Mat3, mirrored: boolean, t: ArrayLike<number>) => {
    const turn = expSO3([t[0], t[1], t[2]]);
    local.forEach((q, k) => {
      const v = mulMatVec(turn, mulMatVec(start, mirrored ? [q[0], q[1], -q[2]] : q));
      for (let a = 0; a < 3; a += 1) x[3 * k + a] = v[a] + t[3 + a];
    });
  };
  let best: { cost: number; wrong: number; places: Vec3[] } | null = null;
  for (const start of SIDES)
    for (const mirrored of [false, true]) {
      // a cloud that lies right already is only moved
      if (best && best.wrong === 0 && best.cost < LIES_RIGHT * outer.length) break;
      const fit = leastSquares(new Float64Array(6), {
        covariance: false,
        maxIterations: 40,
        rows: (t, row, derivatives) => {
          const values = (s: ArrayLike<number>) => {
            put(start, mirrored, s);
            return outer.map((r) => (rows.evaluate(r, x, g) - rows.measured[r]) / Math.hypot(rows.sigma[r], 0.005));
          };
          const now = values(t);
          const moved = derivatives ? Array.from({ length: 6 }, (_, k) => values(Array.from(t, (v, i) => (i === k ? v + 1e-6 : v)))) : [];
          now.forEach((v, i) => {
            for (let k = 0; k < moved.length; k += 1) jac[k] = (moved[k][i] - v) / 1e-6;
            row(v, jac);
          });
          // what no fact speaks of stays as it is
          for (let k = 0; k < 6; k += 1) {
            jac.fill(0);
            jac[k] = HOLD;
            row(HOLD * t[k], jac);
          }
        },
      });
      if (fit.status === 'failed') continue;
      put(start, mirrored, fit.x);
      const wrong = wrongWayUp(net, order, x);
      const cost = fit.finalCost + WRONG_WAY_UP * wrong;
      if (best === null || cost < best.cost * 0.999 - 1e-9) best = { cost, wrong, places: order.map((_, k): Vec3 => [x[3 * k], x[3 * k + 1], x[3 * k + 2]]) };
    }
  if (!best) throw new CoreError('NON_FINITE_INPUT', 'The places of a cloud of marks are no numbers');
  const { places } = best as { places: Vec3[] };
  return new Map(order.map((p, k) => [p, places[k]]));
}
const HOLD = 1e-3;
/** Weighs like a fact that is two sigmas off: it tells between images that fit alike, and no more. */
const WRONG_WAY_UP = 2;

/** Upper ends of plumb lines that came to lie below, and points under the floor where heights are counted from it. */
function wrongWayUp(net: Net, order: readonly number[], x: Float64Array): number {
  const slot = new Map(order.map((p, k) => [p, k]));
  const yOf = (id: string): number | null => {
    const k = slot.get(net.index.get(id)!);
    return k === undefined ? null : x[3 * k + 1];
  };
  let wrong = 0;
  for (const f of net.facts) {
    if (f.kind !== 'plumb') continue;
    const [low, high] = [yOf(f.a), yOf(f.b)];
    if (low !== null && high !== null && high < low) wrong += 1;
  }
  if (net.facts.some((f) => f.kind === 'height')) for (let k = 0; k < order.length; k += 1) if (x[3 * k + 1] < -0.1) wrong += 1;
  return wrong;
}

/** Half a squared residual in sigmas of a row, below which no other side is tried. */
const LIES_RIGHT = 4;
/** Each way that "up" could lie in a cloud that was built without it. */
const SIDES: Mat3[] = [
  [1, 0, 0, 0, 1, 0, 0, 0, 1],
  [1, 0, 0, 0, -1, 0, 0, 0, -1],
  [1, 0, 0, 0, 0, -1, 0, 1, 0],
  [1, 0, 0, 0, 0, 1, 0, -1, 0],
  [0, -1, 0, 1, 0, 0, 0, 0, 1],
  [0, 1, 0, -1, 0, 0, 0, 0, 1],
];
