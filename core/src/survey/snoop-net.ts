import { snoop, type Snooped } from '../estimate';
import { pointsOfFact } from '../facts';
import type { Net } from './net';
import { factRowsOf, fitWithout, judgeRow, weighRows, type NetFit, type NetProblem } from './net-fit';

/** So many sigmas off after the robust start is a blunder beyond doubt. */
const GROSS = 25;

/** What is beyond all doubt goes at once; it comes back when it fits the rest after all. */
export function grossBlunders(net: Net, { rows }: NetProblem, off: readonly { row: number; off: number }[], most: number): Set<number> {
  const gross = off.filter((q) => q.off > GROSS);
  // two at one point speak of the point, not of the lengths
  const at = new Map<string, number>();
  for (const q of gross) for (const id of pointsOfFact(net.facts[rows.fact[q.row]])) at.set(id, (at.get(id) ?? 0) + 1);
  const alone = gross.filter((q) => pointsOfFact(net.facts[rows.fact[q.row]]).every((id) => at.get(id) === 1));
  return new Set(alone.slice(0, most).map((q) => rows.fact[q.row]));
}

/** Data snooping of a net; the rows' weights are those of the fit that comes back. */
export function snoopNet(net: Net, problem: NetProblem, start: NetFit, most: number, mostSpread: number): Snooped<NetFit> {
  const factRows = factRowsOf(problem.rows);
  const snooped = snoop(
    {
      judge(fit: NetFit) {
        weighRows(problem, fit.suspects);
        return factRows.map((row) => ({ row, w: judgeRow(problem, fit, row).w, isOut: problem.rows.weight[row] === 0 }));
      },
      thingOf: (row) => problem.rows.fact[row],
      speaksOf: (fact) => pointsOfFact(net.facts[fact]),
      outOf: (fit) => fit.suspects,
      without: (from, facts) => fitWithout(problem, from.x, facts),
    },
    start,
    most,
    mostSpread,
  );
  weighRows(problem, snooped.fit.suspects);
  return snooped;
}
