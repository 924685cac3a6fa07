import type { RecordBodies, StoredRecord } from '@mesure/contract';
import { BODY_SCHEMAS, check } from '@mesure/contract/schemas';
import { useEffect, useState } from 'react';
import { useRecordsState } from '../../data';

export type PartKind = 'body' | 'lens' | 'adapter';

/** A part while it is edited: checked by the schema that guards the server, at each keystroke. */
export function usePartForm<K extends PartKind>(record: StoredRecord<K>) {
  const write = useRecordsState((s) => s.write);
  const [draft, setDraft] = useState<RecordBodies[K]>(record.body);
  const [generation, setGeneration] = useState(0);
  useEffect(() => setDraft(record.body), [record.body]);
  const problems = check(BODY_SCHEMAS[record.kind], draft).problems ?? [];
  return {
    draft,
    set: (change: Partial<RecordBodies[K]>) => setDraft((d) => ({ ...d, ...change })),
    errorAt: (field: string): string | null => problems.find((p) => p.field === field)?.message ?? null,
    valid: problems.length === 0,
    changed: JSON.stringify(draft) !== JSON.stringify(record.body),
    /** changes with each revert, so that fields show what is stored again */
    generation,
    save: () => void write(record.kind, record.id, draft, `${record.body.name} saved`),
    revert: () => {
      setDraft(record.body);
      setGeneration((g) => g + 1);
    },
  };
}
export type PartForm<K extends PartKind> = ReturnType<typeof usePartForm<K>>;
