import type { AnalysisKind } from '@mesure/contract';
import type { FileStore } from '../files/store';
import type { ComputeInput, Given, Report } from './compute-types';
import { soundOf } from './sync/sounds';
import { framesOf } from './tracks/frames';

interface Preparing<I> {
  store: FileStore;
  input: I;
  report: Report;
  signal: AbortSignal;
}
type Prepare<I> = (p: Preparing<I>) => Promise<Given & { release?(): Promise<void> }>;

const itsBytes: Prepare<ComputeInput> = async ({ store, input }) => ({ bytes: await store.read(input.file.sha256) });

/** What each kind of computation is given, one line each; `release` when it is done. */
const GIVEN: { [K in AnalysisKind]: Prepare<Extract<ComputeInput, { kind: K }>> } = {
  grid: itsBytes,
  solve: itsBytes,
  'lens-files': itsBytes,
  sync: async ({ store, input }) => ({ bytes: Buffer.alloc(0), sounds: await Promise.all([input.file, input.witness].map((f) => soundOf(store, f))) }),
  elsewhere: async ({ store, input }) => ({ bytes: await store.read(input.file.sha256), ...(input.points ? { points: await store.read(input.points.sha256) } : {}) }),
  tracks: ({ store, input, report, signal }) => framesOf(store, input.file, report, signal),
};

/** @throws FormatError */
export const prepare: Prepare<ComputeInput> = (p) => (GIVEN[p.input.kind] as Prepare<ComputeInput>)(p);
