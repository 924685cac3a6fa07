import type { RecordChange, RecordKind } from '@mesure/contract';
import { api } from './api';

/**
 * Changes of a record, oldest first, from the last one back until `enough` of them are here: the server gives them by the page, since a
 * record with many changes has each of them whole.
 */
export async function historyUntil<K extends RecordKind>(
  productionId: string,
  kind: K,
  id: string,
  enough: (changes: RecordChange<K>[]) => boolean,
): Promise<{ changes: RecordChange<K>[]; earlier: boolean }> {
  let all: RecordChange<K>[] = [];
  for (;;) {
    const page = await api.history(productionId, kind, id, all[0]?.version ?? null);
    all = [...(page.changes as RecordChange<K>[]), ...all];
    if (!page.earlier || page.changes.length === 0 || enough(all)) return { changes: all, earlier: page.earlier === true };
  }
}
