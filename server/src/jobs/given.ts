import type { AnalysisKind } from '@mesure/contract';
import { FormatError } from '@mesure/formats';
import { stat } from 'node:fs/promises';
import type { FileStore } from '../files/store';
import type { ComputeInput, Given, Report } from './compute-types';
import { soundOf } from './sync/sounds';
import { framesOf } from './tracks/frames';
import { featuresOf } from './walk/features';

interface Preparing<I> {
  store: FileStore;
  input: I;
  report: Report;
  signal: AbortSignal;
}
type Prepare<I> = (p: Preparing<I>) => Promise<Given & { release?(): Promise<void> }>;

/** What is computed with as a whole; a clip that a record names in place of a picture is none. */
const MOST_BYTES = 400 * 1024 * 1024;

async function whole(store: FileStore, { sha256, name }: { sha256: string; name: string }): Promise<Buffer> {
  const { size } = await store.withFile(sha256, (at) => stat(at));
  if (size > MOST_BYTES) throw new FormatError(name, null, null, `has ${Math.round(size / 1e6)} MB, and is read as a whole up to ${Math.round(MOST_BYTES / 1e6)}`);
  return store.read(sha256);
}

const itsBytes: Prepare<Exclude<ComputeInput, { kind: 'walk' }>> = async ({ store, input }) => ({ bytes: await whole(store, input.file) });

/** What each kind of computation is given, one line each; `release` when it is done. */
const GIVEN: { [K in AnalysisKind]: Prepare<Extract<ComputeInput, { kind: K }>> } = {
  grid: itsBytes,
  solve: async ({ store, input }) => ({ bytes: await whole(store, input.file), ...(input.witness ? { witness: await whole(store, input.witness.file) } : {}) }),
  'lens-files': itsBytes,
  sync: async ({ store, input }) => ({ bytes: Buffer.alloc(0), sounds: await Promise.all([input.file, input.witness].map((f) => soundOf(store, f))) }),
  elsewhere: async ({ store, input }) => ({ bytes: await whole(store, input.file), ...(input.points ? { points: await whole(store, input.points) } : {}) }),
  tracks: ({ store, input, report, signal }) => framesOf(store, input.file, report, signal),
  walk: async ({ store, input, report, signal }) => ({ bytes: Buffer.alloc(0), features: await featuresOf(store, input.stills, report, signal) }),
};

/** @throws FormatError */
export const prepare: Prepare<ComputeInput> = (p) => (GIVEN[p.input.kind] as Prepare<ComputeInput>)(p);
