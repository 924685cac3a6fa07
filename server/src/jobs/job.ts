import { mountPackage, type AnalysisChoice, type AnalysisKind, type MountedPackage, type RecordKind, type StoredRecord } from '@mesure/contract';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';
import type { ComputeInput } from './compute-types';

/** What the input of a computation is made of: the record as it is now. */
export interface InputContext {
  db: Database;
  productionId: string;
  subjectId: string;
  choice: AnalysisChoice;
  find<K extends RecordKind>(kind: K, id: string): StoredRecord<K> | undefined;
  all<K extends RecordKind>(kind: K): StoredRecord<K>[];
  /** @throws ApiProblem NOT_READY when something of the package is missing */
  mounted(packageId: string): MountedPackage;
}

/**
 * One kind of computation, in a folder of its own: what it works on (job.ts), and how it is computed in a thread without a database
 * (compute.ts). A kind without a line in JOBS, in COMPUTATIONS and in BRIEFS does not compile.
 */
export interface Job<K extends AnalysisKind> {
  /** a snapshot as plain data; @throws ApiProblem that says what is missing first */
  input(context: InputContext): Promise<Extract<ComputeInput, { kind: K }>>;
}

export function contextOf(db: Database, productionId: string, subjectId: string, choice: AnalysisChoice, records: readonly StoredRecord[]): InputContext {
  const byId = new Map(records.map((r) => [r.id, r]));
  const find = <K extends RecordKind>(kind: K, id: string) => {
    const r = byId.get(id);
    return r?.kind === kind ? (r as StoredRecord<K>) : undefined;
  };
  return {
    db,
    productionId,
    subjectId,
    choice,
    find,
    all: <K extends RecordKind>(kind: K) => records.filter((r) => r.kind === kind) as StoredRecord<K>[],
    mounted(packageId) {
      const pack = find('package', packageId);
      if (!pack) throw new ApiProblem('NOT_READY', 'The package is gone; choose another one first.');
      const m = mountPackage(pack.body, find);
      if ('missing' in m) throw new ApiProblem('NOT_READY', `The package lacks its ${m.missing}; complete it in Kit first.`);
      return m;
    },
  };
}
