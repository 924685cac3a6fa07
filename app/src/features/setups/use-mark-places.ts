import type { StoredRecord } from '@mesure/contract';
import { netOnPlan } from '@mesure/core';
import { useNet } from '../floor/net/use-net';
import type { MarkAt } from './setup-marks';

/** Where the marks of a set stand, from above: as the tape net found them, else as they are drawn on the mark sheet. */
export function useMarkPlaces(set: StoredRecord<'set'>): MarkAt[] {
  const { state, input } = useNet(set);
  const drawn = new Map((set.body.sheet ?? []).map((m): [string, MarkAt] => [m.id, { id: m.id, xM: m.at[0], zM: m.at[2] }]));
  // the net's own axes are the sheet's only where both hold the same marks: else they would be drawn over each other
  const found = state.status === 'done' && state.result.mirror.status === 'settled' && (drawn.size === 0 || (input.near?.size ?? 0) > 0) ? netOnPlan(state.result.points, input.near ?? new Map()) : [];
  for (const q of found) drawn.set(q.id, { id: q.id, xM: q.at[0], zM: q.at[2] });
  return [...drawn.values()].sort((a, b) => a.id.localeCompare(b.id, 'en', { numeric: true }));
}
