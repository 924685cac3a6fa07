import { KINDS, type RecordBodies, type RecordKind, type StoredRecord } from './records';

type AnyRecord = StoredRecord;
/** What becomes of one record when a mark of its set has another name. */
export interface MarkChange {
  kind: RecordKind;
  id: string;
  /** as the list of what changes says it */
  words: string;
  /** of which nothing would be left: a tie from a mark to itself */
  hides: boolean;
  /** made on what is there at its turn; what makes no sense then stays as it is, and is hidden */
  change: (now: RecordBodies[RecordKind]) => RecordBodies[RecordKind];
}

/** Records that speak of the marks of one set: its own, its setups and their plans, the clips of their takes. */
function speaksOf(setId: string, records: readonly AnyRecord[]): AnyRecord[] {
  const setups = new Set(records.filter((r) => r.kind === 'setup' && (r.body as RecordBodies['setup']).setId === setId).map((r) => r.id));
  const takes = new Set(records.filter((r) => r.kind === 'take' && setups.has((r.body as RecordBodies['take']).setupId)).map((r) => r.id));
  return records.filter((r) => {
    if (r.deleted || !KINDS[r.kind].renamed) return false;
    const body = r.body as { setId?: string; setupId?: string; takeId?: string };
    return r.kind === 'set' ? r.id === setId : body.setId === setId || (body.setupId !== undefined && setups.has(body.setupId)) || (body.takeId !== undefined && takes.has(body.takeId));
  });
}

/**
 * All that changes when mark `from` of a set is called `to` from now on. Where `to` is a mark already the two become one: ties and facts of
 * both stay side by side, as readings of one mark, and what would be between a mark and itself is hidden. Tracks keep the names that they
 * were made with.
 */
export function renamedMark(setId: string, from: string, to: string, records: readonly AnyRecord[]): MarkChange[] {
  if (from === to || to.trim() === '') return [];
  return speaksOf(setId, records).flatMap((r) => {
    const kind = KINDS[r.kind] as { renamed?: (body: unknown, from: string, to: string) => unknown; noun: string; tell: (body: unknown) => string };
    const after = kind.renamed!(r.body, from, to);
    if (after !== null && JSON.stringify(after) === JSON.stringify(r.body)) return [];
    return {
      kind: r.kind,
      id: r.id,
      words: `${kind.noun} ${kind.tell(r.body)}`,
      hides: after === null,
      change: (now) => (kind.renamed!(now, from, to) ?? now) as RecordBodies[RecordKind],
    };
  });
}

/** Marks of a set by name: those that it lists, those of its sheet, and those that only a tie or a fact speaks of. */
export function marksOf(set: StoredRecord<'set'>, records: readonly AnyRecord[]): string[] {
  const names = new Set([...set.body.marks, ...(set.body.sheet ?? []).map((m) => m.id)]);
  for (const r of records) {
    if (r.deleted || (r.body as { setId?: string }).setId !== set.id) continue;
    if (r.kind === 'tie') [(r.body as RecordBodies['tie']).from, (r.body as RecordBodies['tie']).to].forEach((m) => names.add(m));
    if (r.kind === 'fact') (r.body as RecordBodies['fact']).marks.forEach((m) => names.add(m));
  }
  return [...names].sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
}
