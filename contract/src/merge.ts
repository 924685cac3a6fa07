import equal from 'fast-deep-equal';
import type { Kind } from './kinds/define';
import { KINDS, type RecordBodies, type RecordKind } from './records';

/** What is merged of a record: its body and whether it is hidden. */
export interface RecordState<K extends RecordKind = RecordKind> {
  deleted: boolean;
  body: RecordBodies[K];
}
/** The name under which hiding a record clashes with a change of it. */
export const HIDDEN = 'deleted';

export interface Merged<K extends RecordKind = RecordKind> {
  /** with mine where both changed the same field */
  state: RecordState<K>;
  /** fields that both changed, to different values */
  clashes: string[];
}

type Fields = Record<string, unknown>;
const isFields = (v: unknown): v is Fields => typeof v === 'object' && v !== null && !Array.isArray(v);

/**
 * Three-way merge of one record: `base` is what both began with. Fields that one side left alone take the other side's value; a reading is
 * one value with its unit and tolerance and is never mixed. Hiding a record that the other changed is a clash, since a merge would put the
 * change out of sight.
 */
export function mergeStates<K extends RecordKind>(kind: K, base: RecordState<K>, mine: RecordState<K>, theirs: RecordState<K>): Merged<K> {
  const { merge } = KINDS[kind];
  const { body, clashes } = mergeFields(base.body as unknown as Fields, mine.body as unknown as Fields, theirs.body as unknown as Fields, merge);
  const iChanged = !equal(base.body, mine.body);
  const theyChanged = !equal(base.body, theirs.body);
  const iHid = mine.deleted !== base.deleted;
  const theyHid = theirs.deleted !== base.deleted;
  if (iHid !== theyHid && ((iHid && mine.deleted && theyChanged) || (theyHid && theirs.deleted && iChanged))) clashes.push(HIDDEN);
  const deleted = clashes.includes(HIDDEN) || iHid ? mine.deleted : theirs.deleted;
  return { state: { deleted, body: body as unknown as RecordBodies[K] }, clashes };
}

function mergeFields(base: Fields, mine: Fields, theirs: Fields, { sets = [], lists = {}, maps = [] }: Kind<unknown>['merge']): { body: Fields; clashes: string[] } {
  const body: Fields = {};
  const clashes: string[] = [];
  const put = (key: string, value: unknown) => {
    // a field that was taken out is not there, rather than there without a value
    if (value !== undefined) body[key] = value;
  };
  for (const key of new Set([...Object.keys(theirs), ...Object.keys(mine)])) {
    const [b, m, t] = [base[key], mine[key], theirs[key]];
    if (equal(m, t) || equal(b, t)) put(key, m);
    else if (equal(b, m)) put(key, t);
    else if (sets.includes(key) && Array.isArray(m) && Array.isArray(t)) put(key, mergeSet(Array.isArray(b) ? b : [], m, t));
    else if (lists[key] && Array.isArray(m) && Array.isArray(t)) {
      const merged = mergeList(Array.isArray(b) ? b : [], m, t, lists[key]);
      put(key, merged.list);
      if (merged.clash) clashes.push(key);
    } else if (maps.includes(key) && isFields(m) && isFields(t)) {
      // each of its values is a field of its own
      const merged = mergeFields(isFields(b) ? b : {}, m, t, {});
      put(key, merged.body);
      if (merged.clashes.length > 0) clashes.push(key);
    } else {
      put(key, m);
      clashes.push(key);
    }
  }
  return { body, clashes };
}

function mergeSet(base: readonly unknown[], mine: readonly unknown[], theirs: readonly unknown[]): unknown[] {
  const stays = (v: unknown) => (base.includes(v) ? mine.includes(v) && theirs.includes(v) : true);
  return [...new Set([...theirs, ...mine])].filter(stays);
}

function mergeList(base: readonly Fields[], mine: readonly Fields[], theirs: readonly Fields[], name: string): { list: Fields[]; clash: boolean } {
  const by = (list: readonly Fields[]) => new Map(list.map((v) => [v[name], v]));
  const [b, m, t] = [by(base), by(mine), by(theirs)];
  const list: Fields[] = [];
  let clash = false;
  for (const id of new Set([...t.keys(), ...m.keys()])) {
    const [was, is, other] = [b.get(id), m.get(id), t.get(id)];
    if (is && other) {
      const merged = mergeFields(was ?? {}, is, other, {});
      list.push(merged.body);
      clash ||= merged.clashes.length > 0;
      continue;
    }
    const left = is ?? other!;
    // taken out by one: gone, unless the other changed it meanwhile
    if (was && equal(was, left)) continue;
    clash ||= was !== undefined;
    list.push(left);
  }
  return { list, clash };
}

/** The body fields in which two states differ, `deleted` among them. */
export function changedFields(before: RecordState, after: RecordState): string[] {
  const [b, a] = [before.body as unknown as Fields, after.body as unknown as Fields];
  const fields = [...new Set([...Object.keys(b), ...Object.keys(a)])].filter((key) => !equal(b[key], a[key]));
  return before.deleted === after.deleted ? fields : [...fields, HIDDEN];
}

/** `onto` with the fields that went from `before` to `after` changed in the same way; where both changed one, `after` holds. */
export const changeAgain = <K extends RecordKind>(kind: K, before: RecordState<K>, after: RecordState<K>, onto: RecordState<K>): RecordState<K> => mergeStates(kind, before, after, onto).state;
