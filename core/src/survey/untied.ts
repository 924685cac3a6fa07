import { SURVEY } from '../warnings';
import type { Mat3 } from '../math';
import { BY_KNOWN } from './datum';
import type { KnownPoint } from './facts';
import type { NetPoint, NetResult } from './net-result';

/** As it was measured: nothing else speaks of it, so nothing checks it. */
const asMeasured = ({ id, at, sigmaM }: KnownPoint): NetPoint => {
  const [x, y, z] = sigmaM.map((s) => s * s);
  return { id, at: [...at], sigmaM: [...sigmaM], covarianceM2: [x, 0, 0, 0, y, 0, 0, 0, z] as Mat3, redundancy: 0, facts: 0 };
};

/** A set that was measured by an instrument alone: its places hold as they are. */
export const onlyKnown = (known: readonly KnownPoint[]): NetResult => ({
  status: 'solved',
  points: known.map(asMeasured),
  open: [],
  facts: [],
  sigma0: null,
  redundancy: 0,
  datum: BY_KNOWN,
  mirror: { status: 'settled', words: 'the known points tell left from right' },
  twins: [],
  next: [],
  warnings: [SURVEY.NOTHING_CHECKS()],
});

/** Adds places that no fact speaks of, where they stand in the net's own frame; where they do not, what would join the two is said. */
export function withUntied(net: NetResult, untied: readonly KnownPoint[], sameFrame: boolean): NetResult {
  if (untied.length === 0) return net;
  if (!sameFrame) return { ...net, warnings: [...net.warnings, SURVEY.KNOWN_APART(untied.map((k) => k.id))] };
  const points = [...net.points, ...untied.map(asMeasured)];
  const placed = new Set(points.map((p) => p.id));
  return { ...net, points, open: net.open.filter((p) => !placed.has(p.id)), status: net.status === 'none' ? 'partial' : net.status, ...(net.datum === '' ? { datum: BY_KNOWN } : {}) };
}
