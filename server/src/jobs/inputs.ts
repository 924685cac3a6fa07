import type { AnalysisChoice, AnalysisKind, StoredRecord } from '@mesure/contract';
import type { Database } from '../db/connect';
import { toRecord } from '../records/model';
import type { ComputeInput } from './compute-types';
import { elsewhereJob } from './elsewhere/job';
import { gridJob } from './grid/job';
import { contextOf, type Job } from './job';
import { lensFilesJob } from './lens-files/job';
import { solveJob } from './solve/job';
import { syncJob } from './sync/job';
import { tracksJob } from './tracks/job';
import { walkJob } from './walk/job';

/** Every kind of computation, one line each. */
const JOBS: { [K in AnalysisKind]: Job<K> } = { grid: gridJob, solve: solveJob, 'lens-files': lensFilesJob, sync: syncJob, tracks: tracksJob, elsewhere: elsewhereJob, walk: walkJob };

/** The snapshot that a computation works on. @throws ApiProblem that says what is missing first */
export async function buildInput(db: Database, productionId: string, kind: AnalysisKind, subjectId: string, choice: AnalysisChoice, known?: readonly StoredRecord[]): Promise<ComputeInput> {
  return JOBS[kind].input(contextOf(db, productionId, subjectId, choice, known ?? (await liveRecords(db, productionId))));
}

/** All records of a production that are not hidden. */
export const liveRecords = async (db: Database, productionId: string): Promise<StoredRecord[]> => (await db.Entry.findAll({ where: { productionId, deleted: false } })).map(toRecord);
