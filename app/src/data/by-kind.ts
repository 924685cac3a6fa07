import type { RecordKind, StoredRecord } from '@mesure/contract';

interface Index {
  records: Record<string, StoredRecord>;
  byKind: Map<RecordKind, StoredRecord[]>;
}
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
