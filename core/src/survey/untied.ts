import { SURVEY } from '../warnings';
import type { Mat3 } from '../math';
import { BY_KNOWN } from './datum';
import type { KnownPoint } from '../facts';
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

/**
 * Adds places of an instrument that no fact speaks of, where they stand in the net's own frame. Where too little joins the two, the larger of them is
 * the net, since one world cannot hold both; the other one is open, and what would join them is said.
 * @param known that facts speak of
 */
export function withUntied(net: NetResult, known: readonly KnownPoint[], untied: readonly KnownPoint[], sameFrame: boolean): NetResult {
  if (untied.length === 0) return net;
  const placed = new Set(untied.map((k) => k.id));
  if (sameFrame) return { ...net, points: [...net.points, ...untied.map(asMeasured)] };
  const measured = [...known, ...untied].map(asMeasured);
  measured.forEach((p) => placed.add(p.id));
  const taped = net.points.filter((p) => !placed.has(p.id));
  const measuredWins = measured.length >= net.points.length;
  const apart = (measuredWins ? taped : untied.map(asMeasured)).map((p) => ({
    id: p.id,
    facts: p.facts,
    missing: 'too little joins the tape net to the places of the instrument: ties or places of three marks that both know',
  }));
  const warnings =
    apart.length === 0
      ? net.warnings
      : [
          ...net.warnings,
          SURVEY.KNOWN_APART(
            apart.map((p) => p.id),
            measuredWins,
          ),
        ];
  if (!measuredWins) return { ...net, warnings, open: [...net.open, ...apart], status: net.status === 'solved' || net.status === 'unchecked' ? 'partial' : net.status };
  return {
    ...net,
    points: measured,
    open: [...net.open.filter((p) => !placed.has(p.id)), ...apart],
    status: apart.length + net.open.filter((p) => !placed.has(p.id)).length > 0 ? 'partial' : 'solved',
    datum: BY_KNOWN,
    mirror: { status: 'settled', words: 'the known points tell left from right' },
    twins: [],
    next: [],
    // what the taped part does not know of its own world is nobody's question now
    warnings: warnings.filter((w) => !OF_ITS_FRAME.includes(w.code)),
  };
}
const OF_ITS_FRAME = ['NO_UP', 'NET_FLAT', 'HEIGHTS_OPEN', 'MIRROR_OPEN', 'SIDE_ASKED', 'SIDE_OPEN', 'TOO_FEW_TIES', 'NO_TRIANGLE'];
