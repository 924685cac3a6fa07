import { soundOffset } from '@mesure/core';
import type { Computation, SyncInput } from '../compute-types';

export const computeSync: Computation<SyncInput> = ({ input, given: { sounds } }, report) => {
  if (!sounds) throw new Error(`the sounds of ${input.file.name} and ${input.witness.name} were not read`);
  const [main, witness] = sounds;
  report(0.2, 'laying one sound over the other');
  const { offsetS, confidence, driftPpm, warnings } = soundOffset(main.sound, witness.sound);
  return { ok: true, outcome: { kind: 'sync', sound: { offsetS, confidence, driftPpm, warnings }, main: main.facts, witness: witness.facts } };
};
