import { KINDS, ticksAsked, type RecordBodies, type RecordKind, type Stale, type StoredRecord } from '@mesure/contract';
import { isDeepStrictEqual } from 'node:util';
import type { Database } from '../db/connect';
import { toRecord } from '../records/model';
import { buildInput, liveRecords } from './inputs';
import type { ComputeInput } from './compute-types';
import type { AnalysisRow } from './model';

/**
 * Which computations answer for a record that is not there any more. Exactly: the input is built again from the record as it is and
 * compared with the one that was computed, so that a changed note makes nothing old. Only where something that a computation may read
 * changed after it was begun.
 */
export async function staleOf(db: Database, productionId: string, rows: readonly AnalysisRow[]): Promise<Map<string, Stale>> {
  const found = new Map<string, Stale>();
  const done = rows.filter((r) => r.status === 'done' && AGES.has(r.kind));
  if (done.length === 0) return found;
  const records = await liveRecords(db, productionId);
  // what was hidden since takes part in nothing any more, and that is a change too
  const hidden = (await db.Entry.findAll({ where: { productionId, deleted: true } })).map(toRecord);
  const known = [...records, ...hidden];
  const byId = new Map(known.map((r) => [r.id, r]));
  for (const row of done) {
    const read = readBy(row.subjectId, known, byId);
    const last = read.reduce<StoredRecord | null>((l, r) => (!l || r.updatedAt > l.updatedAt ? r : l), null);
    const began = row.createdAt.toISOString();
    // a plate that was measured again changes what a solve is given, though no record did
    const measured = rows.find((r) => r.kind === 'grid' && r.id !== row.id && r.createdAt.toISOString() > began && read.some((q) => q.id === r.subjectId));
    if (!last || (last.updatedAt <= began && !measured)) continue;
    // the input is large, and asked for only where something was changed since
    const input = row.input ?? (await db.AnalysisRow.findByPk(row.id, { attributes: ['input'] }))?.input;
    if (!input) continue;
    const now = await buildInput(db, productionId, row.kind, row.subjectId, choiceOf(input), records).catch(() => null);
    // of what cannot be computed any more the answer is old too
    if (now && isDeepStrictEqual(withoutAround(JSON.parse(JSON.stringify(now))), withoutAround(input))) continue;
    if (measured && last.updatedAt <= began) found.set(row.id, { when: measured.createdAt.toISOString(), who: '', what: 'a grid plate that was measured again' });
    else found.set(row.id, { when: last.updatedAt, who: last.updatedBy, what: `${KINDS[last.kind].noun} ${(KINDS[last.kind].tell as (b: unknown) => string)(last.body)}` });
  }
  return found;
}

/** Kinds whose answer is of the record as it was; files of a lens and an offset by sound are of the files that they were made of. */
const AGES: ReadonlySet<AnalysisRow['kind']> = new Set(['solve', 'grid', 'tracks', 'elsewhere', 'walk']);

/** Another lens in the kit makes no solve old. */
function withoutAround(input: ComputeInput): object {
  const { around: _around, ...rest } = input as Partial<Extract<ComputeInput, { kind: 'solve' }>>;
  return rest;
}

const choiceOf = (input: ComputeInput) =>
  input.kind === 'solve'
    ? {
        trim: input.trim,
        focalMode: input.setup.focal.mode as 'held' | 'guided' | 'free',
        ...ticksAsked(input.setup),
        motion: input.setup.motion ?? ('free' as const),
        ...(input.witness ? { withWitness: input.witness.packageId } : {}),
      }
    : {};

type Of = <K extends RecordKind>(kind: K, id: string | null | undefined) => StoredRecord<K> | undefined;

/** Records that the placing of a setup's stills may read. */
function readByWalk(setup: StoredRecord<'setup'>, records: readonly StoredRecord[], of: Of): StoredRecord[] {
  const plan = records.find((r) => r.kind === 'plan' && (r.body as RecordBodies['plan']).setupId === setup.id);
  const pack = of('package', (plan?.body as RecordBodies['plan'] | undefined)?.stills?.packageId);
  const kit = [pack, of('body', pack?.body.bodyId), of('lens', pack?.body.lensId), of('adapter', pack?.body.adapterId), of('adapter', pack?.body.secondAdapterId)];
  const others = records.filter((r) => {
    const b = r.body as { setupId?: string; setId?: string };
    return (r.kind === 'still' && b.setupId === setup.id) || ((r.kind === 'tie' || r.kind === 'fact') && b.setId === setup.body.setId);
  });
  return [setup, plan, of('set', setup.body.setId), ...kit, ...others].filter((r) => r !== undefined);
}

/** Records that the computation of a take, a plate or a walk may read. */
function readBy(subjectId: string, records: readonly StoredRecord[], byId: ReadonlyMap<string, StoredRecord>): StoredRecord[] {
  const of = <K extends RecordKind>(kind: K, id: string | null | undefined) => {
    const r = id ? byId.get(id) : undefined;
    return r?.kind === kind ? (r as StoredRecord<K>) : undefined;
  };
  const subject = byId.get(subjectId);
  if (!subject) return [];
  if (subject.kind === 'setup') return readByWalk(subject as StoredRecord<'setup'>, records, of);
  // a clip is tracked by its own masks and by the squeeze of the lens of its take; a solve made elsewhere is laid against its take
  const take = subject.kind === 'footage' || subject.kind === 'elsewhere' ? of('take', (subject.body as RecordBodies['footage' | 'elsewhere']).takeId) : undefined;
  const body = (take ?? subject).body as Partial<RecordBodies['take'] & RecordBodies['plate']>;
  const pack = of('package', body.packageId);
  const setup = of('setup', body.setupId);
  const kit = [pack, of('body', pack?.body.bodyId), of('lens', pack?.body.lensId), of('adapter', pack?.body.adapterId), of('adapter', pack?.body.secondAdapterId)];
  // of its witness cameras: what they are, how they were mounted, and how they ran
  const witnesses = subject.kind === 'take' ? (body.witnesses ?? []).map((w) => of('package', w.packageId)) : [];
  const carried = witnesses.flatMap((w) => [w, of('body', w?.body.bodyId), of('lens', w?.body.lensId), of('adapter', w?.body.adapterId)]);
  const beside =
    witnesses.length === 0
      ? []
      : records.filter((r) => (r.kind === 'rig' && (r.body as RecordBodies['rig']).setupId === body.setupId) || (r.kind === 'sync' && (r.body as RecordBodies['sync']).takeId === subjectId));
  const lensId = pack?.body.lensId;
  const others =
    subject.kind === 'take' || subject.kind === 'elsewhere'
      ? records.filter((r) => {
          const b = r.body as { lensId?: string; setId?: string };
          return ((r.kind === 'plate' || r.kind === 'edges') && b.lensId === lensId) || ((r.kind === 'tie' || r.kind === 'fact') && b.setId === setup?.body.setId);
        })
      : [];
  return [subject, take, setup, of('set', setup?.body.setId), ...kit, ...carried, ...beside, ...others].filter((r) => r !== undefined);
}
