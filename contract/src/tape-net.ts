import type { NetFact, NetInput } from '@mesure/core';
import { lengthSigma, sigmaOf } from './recorded-setup';
import type { FactBody, SetBody, TieBody } from './records';

/** The facts of a set as core adjusts them; ties first, then the others, each in the given order. The plan's marks tell left from right. */
export function netInputOf(set: SetBody, ties: readonly TieBody[], facts: readonly FactBody[]): NetInput {
  return {
    facts: [...ties.map((t): NetFact => ({ kind: 'tie', a: t.from, b: t.to, m: t.length.valueM, sigmaM: lengthSigma(t.length) })), ...facts.map(factOf)],
    near: new Map((set.sheet ?? []).map((m) => [m.id, m.at])),
    turn: set.turn ?? null,
  };
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
  }
}
