import { clapEvidence, compareSync, CoreError, soundEvidence, timecodeEvidence, type ClipStart, type SyncComparison, type SyncEvidence } from '@mesure/core';
import type { SyncBody, TakeBody } from './records';
import type { SyncOutcome } from './wire';

export interface SyncInput {
  take: TakeBody;
  /** the witness camera */
  packageId: string;
  sync: SyncBody | null;
  outcome: SyncOutcome | null;
  /** as the packages say, where the clips do not */
  mainFps: number;
  witnessFps: number;
}
export interface TakeSync extends SyncComparison {
  evidence: SyncEvidence[];
  /** ways that were entered and cannot be read, in words */
  problems: string[];
  mainFps: number;
  witnessFps: number;
}

/** All that speaks for how two cameras of a take ran against each other, compared. What the clip says goes before what was written down. */
export function takeSync({ take, packageId, sync, outcome, mainFps, witnessFps }: SyncInput): TakeSync {
  const fps = { main: outcome?.main.fps ?? take.fps ?? mainFps, witness: outcome?.witness.fps ?? witnessFps };
  const written = { main: take.timecodeIn ?? null, witness: take.witnesses?.find((w) => w.packageId === packageId)?.timecodeIn ?? null };
  const startOf = (side: 'main' | 'witness'): ClipStart | null => {
    const timecode = outcome?.[side].timecode ?? written[side];
    const startsAtS = outcome?.[side].startsAtS;
    // what the file says goes before what was written down
    if (typeof startsAtS === 'number' && !outcome?.[side].timecode) return { startsAtS };
    return timecode ? { timecode, fps: fps[side] } : null;
  };
  const starts = { main: startOf('main'), witness: startOf('witness') };
  const evidence: SyncEvidence[] = [];
  const problems: string[] = [];
  if (starts.main && starts.witness) {
    try {
      evidence.push(timecodeEvidence(starts.main, starts.witness));
    } catch (e) {
      if (!(e instanceof CoreError)) throw e;
      problems.push(`Timecode: ${e.message}`);
    }
  }
  if (outcome) evidence.push(soundEvidence(outcome.sound));
  if (sync?.clap) evidence.push(clapEvidence({ frame: sync.clap.mainFrame, fps: fps.main }, { frame: sync.clap.witnessFrame, fps: fps.witness }));
  return { ...compareSync(evidence, fps.main), evidence, problems, mainFps: fps.main, witnessFps: fps.witness };
}
