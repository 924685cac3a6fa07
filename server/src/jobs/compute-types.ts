import type { GridOutcome, SolveOutcome } from '@mesure/contract';
import type { ChartKind, LatticeStart, MeasuredChart, SolveSetup } from '@mesure/core';

/** All that a computation needs, as plain data: a snapshot of the record at the time it was asked for, and the file by its hash. */
export type ComputeInput = GridInput | { kind: 'solve'; file: { sha256: string; name: string }; setup: SolveSetup; trim: boolean };

export interface GridInput {
  kind: 'grid';
  file: { sha256: string; name: string };
  setup: SolveSetup;
  chart?: ChartKind;
  start?: LatticeStart | null;
  dropped?: { x: number; y: number }[];
  measured?: MeasuredChart;
}

export interface ComputeTask {
  input: ComputeInput;
  bytes: Uint8Array;
  port: import('node:worker_threads').MessagePort;
}
export interface ComputeProgress {
  progress: number;
  stage: string;
}
/** An answer, or a refusal in words for the person; a fault of ours is thrown. */
export type ComputeAnswer = { ok: true; outcome: GridOutcome | SolveOutcome } | { ok: false; message: string };
