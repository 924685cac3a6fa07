import type { NetFact, NetInput } from '@mesure/core';
import { lengthSigma, sigmaOf } from './recorded-setup';
import type { FactBody, SetBody, TieBody } from './records';

/** The facts that are adjusted one by one; places are held as they were measured. */
export const isMeasured = (f: { what: FactBody['what'] }): boolean => f.what !== 'point';

/**
 * The facts of a set as core adjusts them; ties first, then the others, each in the given order. Places that an instrument measured are
 * the net's frame. The plan's marks tell left from right.
 */
export function netInputOf(set: SetBody, ties: readonly TieBody[], facts: readonly FactBody[]): NetInput {
  return {
    facts: [...ties.map((t): NetFact => ({ kind: 'tie', a: t.from, b: t.to, m: t.length.valueM, sigmaM: lengthSigma(t.length) })), ...facts.filter(isMeasured).map(factOf)],
    ...knownOf(facts),
    near: new Map((set.sheet ?? []).map((m) => [m.id, m.at])),
    turn: set.turn ?? null,
    sides: set.sides ?? [],
  };
}

function knownOf(facts: readonly FactBody[]): Pick<NetInput, 'known'> {
  const known = facts.flatMap((f) => (f.what === 'point' && f.at ? [{ id: f.marks[0], at: f.at, sigmaM: [1, 1, 1].map(() => sigmaOf(f.toleranceM)) as [number, number, number] }] : []));
  return known.length > 0 ? { known } : {};
}

function factOf({ what, marks, length, toleranceM }: FactBody): NetFact {
  const sigmaM = length ? lengthSigma(length) : sigmaOf(toleranceM);
  switch (what) {
    case 'height':
      return { kind: 'height', id: marks[0], m: length!.valueM, sigmaM };
    case 'wall':
      return { kind: 'wall', id: marks[0], a: marks[1], b: marks[2], m: length!.valueM, sigmaM };
    case 'level':
    case 'plumb':
      return { kind: what, a: marks[0], b: marks[1], sigmaM };
    case 'point':
      throw new Error('a place is held, not adjusted');
  }
}
