import type { SolvedNet } from '@mesure/contract';
import { CoreError, solveNet, type NetInput } from '@mesure/core';
import type { NetSnapshot } from '../compute-types';

/** The places that the ties give; none when they cannot be adjusted, which the tape net's own screen explains. */
export function surveyOf(kept: NetSnapshot | null): SolvedNet | null {
  if (!kept) return null;
  const net: NetInput = { ...kept, near: new Map(kept.near) };
  try {
    return { input: net, result: solveNet(net) };
  } catch (error) {
    if (error instanceof CoreError) return null;
    throw error;
  }
}
