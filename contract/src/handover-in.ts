import equal from 'fast-deep-equal';
import { filesNamed, withoutFiles } from './files-named';
import { bringKit, compareKit, type KitKind } from './kit';
import { inOrderOfReference } from './reference-order';
import { KINDS, type RecordBodies, type RecordKind, type StoredRecord } from './records';

export const RECORD_FORMAT = 'mesure record 1';

/** One record as it left with a handover: what was said, by whom, when. */
export interface LeftRecord<K extends RecordKind = RecordKind> {
  kind: K;
  id: string;
  body: RecordBodies[K];
  by: string;
  at: string;
}
export interface LeftFile {
  sha256: string;
  name: string;
  mime: string;
  sizeBytes: number;
  widthPx: number | null;
  heightPx: number | null;
  /** where it stands in the zip */
  path: string;
}
/** `record.json` of a handover: the day as another Mesure can take it. */
export interface LeftDay {
  format: typeof RECORD_FORMAT;
  production: string;
  day: { id: string; name: string; date: string };
  records: LeftRecord[];
  /** of plates: input and outcome of their measuring */
  measured: { plateId: string; input: object; outcome: object }[];
  files: LeftFile[];
  /** of takes: where their solve stands in the zip, with what it was computed from, and when; a handover of an earlier version has none */
  solved?: { takeId: string; path: string; input: object; at: string }[];
}

/** What a handover may bring in. A production has its own record, its people their own choices, and what was handed over from here only here was. */
export const BROUGHT: readonly RecordKind[] = (Object.keys(KINDS) as RecordKind[]).filter((k) => !['production', 'floor', 'person', 'handover', 'receiver'].includes(k));
const KIT: readonly RecordKind[] = ['body', 'lens', 'adapter', 'package', 'plate', 'edges'] satisfies KitKind[];
const isKit = (r: LeftRecord): r is LeftRecord<KitKind> => KIT.includes(r.kind);

/**
 * new: comes in · same: is here · different: is here and says something else, which stays unless it is asked for · hidden: was hidden here
 * and stays so · cannot: names a picture or a record that is neither in the handover nor here
 */
export type ComesAs = 'new' | 'same' | 'different' | 'hidden' | 'cannot';
export interface DayLine {
  kind: RecordKind;
  id: string;
  name: string;
  what: ComesAs;
  by: string;
  at: string;
  note: string;
}
export interface BroughtRecord {
  kind: RecordKind;
  id: string;
  body: RecordBodies[RecordKind];
  by: string;
  /** of the one that is here; 0: it is new */
  version: number;
}

/** Ids of the kit that is here in place of the ones that it had; ids stand nowhere but where they mean a record. */
function remapped(value: unknown, ids: ReadonlyMap<string, string>): unknown {
  if (typeof value === 'string') return ids.get(value) ?? value;
  if (Array.isArray(value)) return value.map((v) => remapped(v, ids));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, remapped(v, ids)]));
}

/** Without who said it and when, which the server signs anew for whoever brings it in. */
function said(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(said);
  if (typeof value !== 'object' || value === null) return value;
  const signed = 'by' in value && 'at' in value;
  return Object.fromEntries(Object.entries(value).flatMap(([k, v]) => (signed && (k === 'by' || k === 'at') ? [] : [[k, said(v)]])));
}

/** Ids that a body names, of records; `a[].b` is a field of each thing in a list. */
const namedBy = (kind: RecordKind, body: Record<string, unknown>): string[] =>
  Object.keys(KINDS[kind].references).flatMap((field) => {
    const [list, inner] = field.split('[].');
    const values = inner ? ((body[list] as Record<string, unknown>[] | undefined) ?? []).map((t) => t[inner]) : [body[field]];
    return values.filter((v): v is string => typeof v === 'string');
  });

/**
 * What bringing a handover in would do, record by record, and the records that it takes. Records keep their ids, so that a supplement finds what
 * the first one brought; the kit is known by serial number and name as everywhere. What is here is never changed unless `replace` says so.
 * @param here all records of the production, hidden ones too
 * @param has whether a file is in the handover or was given here before
 */
export function compareDay(
  left: readonly LeftRecord[],
  here: readonly StoredRecord[],
  has: (sha256: string) => boolean,
  ask: { newId: () => string; now: string; replace: boolean },
): { lines: DayLine[]; brought: BroughtRecord[]; ids: Map<string, string> } {
  const byId = new Map(here.map((r) => [r.id, r]));
  const lines: DayLine[] = [];
  const brought: BroughtRecord[] = [];
  const line = (r: LeftRecord, name: string, what: ComesAs, note = '') => lines.push({ kind: r.kind, id: r.id, name, what, by: r.by, at: r.at, note });
  /** with its pictures that are at hand; null where it is nothing without one */
  const withFiles = (body: RecordBodies[RecordKind]) => {
    const missing = new Set(filesNamed(body).flatMap((f) => (has(f.sha256) ? [] : [f.sha256])));
    return { body: missing.size === 0 ? body : withoutFiles(body, missing), missing: missing.size };
  };
  const notes = (missing: number) => (missing === 0 ? '' : missing === 1 ? 'without a file that is not in the handover' : `without ${missing} files that are not in the handover`);

  const kit = left.filter(isKit).filter((r) => (r.kind === 'plate' || r.kind === 'edges' ? withFiles(r.body).body !== null || byId.has(r.id) : true));
  const kitLines = compareKit(kit, here);
  const { ids, made } = bringKit(kit, kitLines, here, (theirs) => (byId.has(theirs) ? ask.newId() : theirs), ask.now);
  const author = new Map(left.map((r) => [r.id, r]));
  const theirIdOf = new Map([...ids].map(([theirs, ours]) => [ours, theirs]));
  for (const l of kitLines) line(author.get(l.id)!, l.name, l.what === 'same' ? 'same' : 'new', l.what === 'different' ? `another one is here, and it comes in beside it: ${l.note}` : l.note);
  for (const r of left.filter(isKit)) if (!kit.includes(r)) line(r, (r.body as RecordBodies['plate']).picture.name, 'cannot', 'its picture is not in the handover');
  for (const part of made) {
    const r = author.get(theirIdOf.get(part.id)!)!;
    brought.push({ kind: part.kind, id: part.id, body: withFiles(part.body).body ?? part.body, by: r.by, version: 0 });
  }

  const there = new Set([...byId.keys(), ...brought.map((b) => b.id)]);
  for (const r of inOrderOfReference(left.filter((x) => !isKit(x)) as unknown as StoredRecord[]) as unknown as LeftRecord[]) {
    const tell = KINDS[r.kind].tell as (b: unknown) => string;
    const { body, missing } = withFiles(remapped(r.body, ids) as RecordBodies[RecordKind]);
    const own = byId.get(r.id);
    if (own && own.kind !== r.kind) line(r, tell(r.body), 'cannot', 'its id is another record’s here');
    else if (own?.deleted) line(r, tell(r.body), 'hidden');
    else if (body === null) line(r, tell(r.body), own ? 'same' : 'cannot', own ? '' : 'its picture is not in the handover');
    else if (own && equal(said(own.body), said(body))) line(r, tell(r.body), 'same');
    else if (namedBy(r.kind, body as unknown as Record<string, unknown>).some((id) => !there.has(id)))
      line(r, tell(r.body), 'cannot', 'it belongs to a record that is neither in the handover nor here');
    else {
      line(r, tell(body), own ? 'different' : 'new', notes(missing));
      there.add(r.id);
      if (!own || ask.replace) brought.push({ kind: r.kind, id: r.id, body, by: r.by, version: own?.version ?? 0 });
    }
  }
  return { lines, brought, ids };
}
