import type { StoredRecord } from '@mesure/contract';
import { BODY_SCHEMAS, check } from '@mesure/contract/schemas';
import { useState } from 'react';
import { useEditing, useRecordsState } from '../../data';

export type PartKind = 'body' | 'lens' | 'adapter';

/** A part while it is edited: checked by the schema that guards the server, at each keystroke. */
export function usePartForm<K extends PartKind>(record: StoredRecord<K>) {
  const write = useRecordsState((s) => s.write);
  const { draft, set, revert, change, cameBack } = useEditing(record);
  const [generation, setGeneration] = useState(0);
  const problems = check(BODY_SCHEMAS[record.kind], draft).problems ?? [];
  return {
    draft,
    set,
    cameBack,
    errorAt: (field: string): string | null => problems.find((p) => p.field === field)?.message ?? null,
    valid: problems.length === 0,
    changed: JSON.stringify(draft) !== JSON.stringify(record.body),
    /** changes with each revert, so that fields show what is stored again */
    generation,
    save: () => void write(record.kind, record.id, change, `${record.body.name} saved`),
    revert: () => {
      revert();
      setGeneration((g) => g + 1);
    },
  };
}
export type PartForm<K extends PartKind> = ReturnType<typeof usePartForm<K>>;
