import type { RecordKind, StoredRecord } from '@mesure/contract';

interface Index {
  records: Record<string, StoredRecord>;
  byKind: Map<RecordKind, StoredRecord[]>;
}
/** What the lists were made of, from which a few changes lead to the next ones. */
const indexes = new WeakMap<object, Index>();
const NONE: StoredRecord[] = [];

/**
 * Records of a kind that are not hidden. Sorted out once for each state of a store and not once for each of the dozens of hooks that ask:
 * a film has thousands of records. A list in which nothing changed stays the same list, so that who draws it does not draw it again.
 */
export function ofKind<K extends RecordKind>(store: object, records: Record<string, StoredRecord>, kind: K): StoredRecord<K>[] {
  const before = indexes.get(store);
  if (before?.records === records) return (before.byKind.get(kind) ?? NONE) as StoredRecord<K>[];
  const byKind = new Map<RecordKind, StoredRecord[]>();
  for (const r of Object.values(records)) {
    if (r.deleted) continue;
    const list = byKind.get(r.kind);
    if (list) list.push(r);
    else byKind.set(r.kind, [r]);
  }
  for (const [k, list] of byKind) {
    const was = before?.byKind.get(k);
    if (was && was.length === list.length && was.every((r, i) => r === list[i])) byKind.set(k, was);
  }
  indexes.set(store, { records, byKind });
  return (byKind.get(kind) ?? NONE) as StoredRecord<K>[];
}

/** Takes a few changes into the lists instead of sorting thousands of records again. `to` must be `from` with exactly these in it. */
export function follow(store: object, from: Record<string, StoredRecord>, to: Record<string, StoredRecord>, changed: readonly StoredRecord[]): void {
  const index = indexes.get(store);
  if (index?.records !== from) return;
  const byKind = new Map(index.byKind);
  for (const record of changed) {
    const was = from[record.id];
    // what comes back, and what was there under another kind, would stand elsewhere in the order of all: those are sorted again
    if (was && (was.kind !== record.kind || was.deleted !== record.deleted)) return;
    if (record.deleted) continue;
    const list = byKind.get(record.kind) ?? NONE;
    const at = was ? list.findIndex((r) => r.id === record.id) : list.length;
    byKind.set(record.kind, [...list.slice(0, at), record, ...list.slice(at + 1)]);
  }
  indexes.set(store, { records: to, byKind });
}
