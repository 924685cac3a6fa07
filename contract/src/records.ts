import type { RecordBodies, RecordKind } from './kinds';

export * from './kinds';

export interface StoredRecord<K extends RecordKind = RecordKind> {
  id: string;
  kind: K;
  /** 1 at creation, one more at each change */
  version: number;
  deleted: boolean;
  body: RecordBodies[K];
  updatedAt: string;
  updatedBy: string;
}

/** One change of one record, as it waits in the outbox and crosses the wire. */
export interface RecordWrite<K extends RecordKind = RecordKind> {
  /** made by the client; the same change sent twice is done once */
  mutationId: string;
  /** version that the change was made on; 0 creates */
  baseVersion: number;
  /** the change of the same device that this one was made on, when the server may not have had it yet: it goes before `baseVersion` */
  follows?: string | null;
  deleted: boolean;
  body: RecordBodies[K];
}
