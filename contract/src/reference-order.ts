import { KINDS, RECORD_KINDS, type RecordKind, type StoredRecord } from './records';

/** How deep a kind refers: 0 refers to nothing, 1 only to those of 0, and so on. */
const depths = new Map<RecordKind, number>();
function depthOf(kind: RecordKind): number {
  const known = depths.get(kind);
  if (known !== undefined) return known;
  const targets = Object.values(KINDS[kind].references).flatMap((t) => t.split('|') as RecordKind[]);
  const depth = targets.length === 0 ? 0 : 1 + Math.max(...targets.map(depthOf));
  depths.set(kind, depth);
  return depth;
}

/** What is referred to before what refers to it: the order in which records can be made anew. */
export const inOrderOfReference = <R extends Pick<StoredRecord, 'kind'>>(records: readonly R[]): R[] =>
  [...records].sort((a, b) => depthOf(a.kind) - depthOf(b.kind) || RECORD_KINDS.indexOf(a.kind) - RECORD_KINDS.indexOf(b.kind));
