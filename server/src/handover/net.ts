import { netInputOf, type SolvedNet, type StoredRecord } from '@mesure/contract';
import { CoreError, solveNet, type NetInput } from '@mesure/core';

/** The tape net of a set, adjusted; where it cannot be, in words and with what was measured. */
export function adjustedNet(set: StoredRecord<'set'>, ties: readonly StoredRecord<'tie'>[], facts: readonly StoredRecord<'fact'>[]): SolvedNet | { problem: string; input: NetInput } {
  const input = netInputOf(
    set.body,
    ties.map((t) => t.body),
    facts.map((f) => f.body),
  );
  try {
    return { input, result: solveNet(input) };
  } catch (error) {
    if (error instanceof CoreError) return { problem: error.message, input };
    throw error;
  }
}
