import { drawnNet, draws, type DrawnNet } from '@mesure/synthetic';
import { leastSquares } from '../estimate';
import { applySimilarity, expSO3, mulMatVec, umeyama, type Vec3 } from '../math';
import { solveNet, type NetResult } from '.';

const solved = ({ ties, heights, known }: DrawnNet): NetResult =>
  solveNet({ facts: [...ties.map((t) => ({ kind: 'tie' as const, ...t })), ...heights.map((h) => ({ kind: 'height' as const, ...h }))], known });

/** Sigmas of a place are given in a datum of the net's own; what it took for granted is known to this, m. */
const DATUM_M = 1e-4;

/**
 * How far places lie off the truth in sigmas of theirs, the truth being laid on them by a motion (or a mirror image and a motion): the datum is
 * nobody's error. The worst coordinate.
 */
function worstOff(net: DrawnNet, r: NetResult): { sigmas: number; id: string } {
  const found = [1, -1].map((mirror) => {
    const truth = r.points.map((p) => {
      const [x, y, z] = net.points.get(p.id)!;
      return [mirror * x, y, z] as Vec3;
    });
    // rigid by all places, then by each place's own sigma
    const start = umeyama(
      truth,
      r.points.map((p) => p.at),
      false,
    );
    const laid = truth.map((q) => applySimilarity(start, q));
    const offs = (x: ArrayLike<number>) => {
      const turn = expSO3([x[0], x[1], x[2]]);
      return r.points.flatMap((p, i) => mulMatVec(turn, laid[i]).map((v, k) => (p.at[k] - v - x[3 + k]) / Math.hypot(DATUM_M, p.sigmaM[k] ?? Infinity)));
    };
    const fit = leastSquares(new Float64Array(6), {
      maxIterations: 100,
      covariance: false,
      rows(x, row, derivatives) {
        const at = offs(x);
        const columns = [0, 1, 2, 3, 4, 5].map((k) => {
          if (!derivatives) return at;
          const moved = x.slice();
          moved[k] += 1e-6;
          return offs(moved).map((v, i) => (v - at[i]) / 1e-6);
        });
        at.forEach((v, i) =>
          row(
            v,
            Float64Array.from(columns, (c) => c[i]),
          ),
        );
      },
    });
    return { cost: fit.finalCost, offs: offs(fit.x) };
  });
  const { offs } = found.sort((a, b) => a.cost - b.cost)[0];
  const worst = offs.reduce((w, v, i) => (Math.abs(v) > Math.abs(offs[w]) ? i : w), 0);
  return { sigmas: Math.abs(offs[worst]), id: r.points[Math.floor(worst / 3)].id };
}

test('of many nets, sparse and dense, with blunders and a tape that is long, none is called solved with a place beyond four sigma', () => {
  const count = draws(500, 20);
  const bad: string[] = [];
  const status: Record<string, number> = {};
  let [asked, found, wrong, rightOut] = [0, 0, 0, 0];
  for (let seed = 1; seed <= count; seed += 1) {
    const net = drawnNet(seed);
    const r = solved(net);
    status[r.status] = (status[r.status] ?? 0) + 1;
    if (r.status !== 'solved') continue;
    const out = r.facts.filter((f) => f.suspect).map((f) => f.fact);
    wrong += net.wrong.length;
    found += net.wrong.filter((i) => out.includes(i)).length;
    rightOut += out.filter((i) => !net.wrong.includes(i)).length;
    // on which side single points stand was asked, and nobody has answered
    if (r.twins.length > 0) {
      asked += 1;
      continue;
    }
    const { sigmas, id } = worstOff(net, r);
    if (sigmas > 4) bad.push(`${seed}: ${id} ${sigmas.toFixed(1)} sigma (${net.words})`);
  }
  console.info(`nets: ${JSON.stringify(status)}, ${asked} asked for a side; ${found} of ${wrong} wrong ties found, ${rightOut} right ones left out; ${bad.length} beyond 4 sigma\n${bad.join('\n')}`);
  expect(bad).toEqual([]);
});
