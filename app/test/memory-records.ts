import {
  changedFields,
  mergeStates,
  type Problem,
  type RecordBatch,
  type RecordChange,
  type RecordKind,
  type RecordState,
  type RecordWrite,
  type StoredRecord,
  type WriteAnswer,
} from '@mesure/contract';

export const SERVER_TIME = '2026-11-23T09:00:00.000Z';
type Refusal = Pick<Problem, 'current' | 'base' | 'clashes'> & { status: number; code: Problem['code'] };
interface Logged extends RecordChange {
  id: string;
  mutationId: string;
  sent: RecordState | null;
}

/** The rules of the server's record room, in memory: once per mutation, merged by field, asked where both changed one. */
export class MemoryRecords {
  records = new Map<string, StoredRecord>();
  log: Logged[] = [];
  author = 'wrangler';
  epoch = 'epoch-1';

  since(after: number | null, epoch: string | null = null): RecordBatch {
    const whole = after === null || after > this.log.length || (epoch !== null && epoch !== this.epoch);
    const changed = whole ? null : new Set(this.log.slice(after).map((c) => c.id));
    return { records: [...this.records.values()].filter((r) => !changed || changed.has(r.id)), cursor: this.log.length, whole, epoch: this.epoch };
  }

  changes = (id: string): RecordChange[] => this.log.filter((c) => c.id === id);

  write(kind: RecordKind, id: string, write: RecordWrite): WriteAnswer | Refusal {
    const done = this.log.find((c) => c.mutationId === write.mutationId);
    const stored = this.records.get(id);
    if (done) return { record: { ...stored!, ...(done.after as RecordState), version: done.version }, merged: done.sent !== null };
    const sent: RecordState = { deleted: write.deleted, body: write.body };
    let state = sent;
    let merged = false;
    if (write.follows || write.baseVersion !== (stored?.version ?? 0)) {
      const made = this.log.find((c) => c.id === id && (write.follows ? c.mutationId === write.follows : c.version === write.baseVersion));
      if (!stored || !made) return { status: 409, code: 'STALE', current: stored ?? null };
      merged = made.version !== stored.version || made.sent !== null;
      if (merged) {
        const base = ((write.follows ? made.sent : null) ?? made.after) as RecordState;
        const result = mergeStates(kind, base, sent, stored);
        if (result.clashes.length > 0)
          return { status: 409, code: 'STALE', current: stored, base, clashes: result.clashes.map((field) => ({ field, who: this.whoChanged(id, field), when: SERVER_TIME })) };
        state = result.state;
      }
    }
    const record: StoredRecord = { id, kind, version: (stored?.version ?? 0) + 1, ...state, updatedAt: SERVER_TIME, updatedBy: this.author };
    this.records.set(id, record);
    this.log.push({
      id,
      mutationId: write.mutationId,
      version: record.version,
      who: this.author,
      when: SERVER_TIME,
      before: stored ? { deleted: stored.deleted, body: stored.body } : null,
      after: state,
      sent: merged ? sent : null,
    });
    return { record, merged };
  }

  private whoChanged(id: string, field: string): string {
    return [...this.changes(id)].reverse().find((c) => c.before && changedFields(c.before, c.after).includes(field))?.who ?? this.author;
  }
}
