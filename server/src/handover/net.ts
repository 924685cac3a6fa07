import { netInputOf, type SolvedNet, type StoredRecord } from '@mesure/contract';
import { CoreError, solveNet } from '@mesure/core';

/** The tape net of a set, adjusted; in words where it cannot be. */
export function adjustedNet(set: StoredRecord<'set'>, ties: readonly StoredRecord<'tie'>[], facts: readonly StoredRecord<'fact'>[]): SolvedNet | { problem: string } {
  try {
    const input = netInputOf(
      set.body,
      ties.map((t) => t.body),
      facts.map((f) => f.body),
    );
    return { input, result: solveNet(input) };
  } catch (error) {
    if (error instanceof CoreError) return { problem: error.message };
    throw error;
  }
}
