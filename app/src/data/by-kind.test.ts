import type { RecordKind, StoredRecord } from '@mesure/contract';
import { follow, ofKind } from './by-kind';

const KINDS: RecordKind[] = ['take', 'setup', 'tie'];
const record = (id: string, kind: RecordKind, deleted = false): StoredRecord => ({ id, kind, version: 1, deleted, body: {}, updatedAt: '', updatedBy: '' }) as unknown as StoredRecord;

/** The same numbers each time. */
function random(seed: number): (below: number) => number {
  let s = seed;
  return (below) => {
    s = (s * 1103515245 + 12345) % 2147483648;
    return Math.floor((s / 2147483648) * below);
  };
}

describe('records by kind', () => {
  test('followed through hundreds of changes, the lists are those of a sorting from nothing', () => {
    const any = random(7);
    const store = {};
    let records: Record<string, StoredRecord> = {};
    for (let i = 0; i < 30; i += 1) records[`r${i}`] = record(`r${i}`, KINDS[any(3)], any(4) === 0);
    KINDS.forEach((k) => ofKind(store, records, k));
    for (let step = 0; step < 400; step += 1) {
      const changed = Array.from({ length: 1 + any(3) }, () => {
        const id = `r${any(40)}`;
        return record(id, records[id]?.kind ?? KINDS[any(3)], any(5) === 0);
      });
      const last = [...new Map(changed.map((r) => [r.id, r])).values()];
      const next = { ...records };
      for (const r of last) next[r.id] = r;
      follow(store, records, next, last);
      records = next;
      for (const k of KINDS) expect(ofKind(store, records, k)).toEqual(ofKind({}, records, k));
    }
  });

  test('a list in which nothing changed stays the same list', () => {
    const store = {};
    const before = { a: record('a', 'take'), b: record('b', 'setup') };
    const setups = ofKind(store, before, 'setup');
    const takes = ofKind(store, before, 'take');
    const after = { ...before, a: record('a', 'take') };
    follow(store, before, after, [after.a]);
    expect(ofKind(store, after, 'setup')).toBe(setups);
    expect(ofKind(store, after, 'take')).not.toBe(takes);
  });
});
