import { changedFields, mayChange, mayWrite, type RecordBodies, type RecordKind, type RecordState, type RecordWrite, type WriteAnswer } from '@mesure/contract';
import { BODY_SCHEMAS } from '@mesure/contract/schemas';
import type { Schema } from 'joi';
import { QueryTypes, UniqueConstraintError } from 'sequelize';
import type { Database } from '../db/connect';
import type { Viewer } from '../http/guard';
import { ApiProblem } from '../http/problem';
import { must } from '../http/validate';
import { mustBeThere, mustNameOwnFiles, referencesOf } from './references';
import { CHANGES_CHANNEL, writeRecord } from './service';
import { signNew } from './signed';

/** The schema says what is wrong with another one, after it is known whether this person may change anything here. */
const isId = (text: string): boolean => /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(text);

interface Standing {
  kind: RecordKind | null;
  version: number;
  before: RecordState | null;
  /** the change is here already */
  done: boolean;
  /** of the records that the change names */
  found: { id: string; kind: string }[];
  /** by the database's clock */
  now: Date;
}

/**
 * Makes or changes one record for whoever asks. The usual change, made on what is stored, is one statement to read and one to write: with two
 * hundred phones the turns of a transaction were most of the time, and the lock of a production was held over three of them. All others
 * (sent twice, made on an older version, of the production itself) go the whole way.
 */
export async function writeAsViewer(db: Database, v: Viewer, kind: RecordKind, id: string, write: RecordWrite): Promise<WriteAnswer & { created: boolean }> {
  mustStandThere(v, kind, id);
  const named = referencesOf(kind, write.body).map((r) => r.id);
  const standing = await readStanding(db, v.productionId, id, write.mutationId, named.filter(isId));
  const before = standing.kind === kind ? standing.before : null;
  mustBeAllowed(v, kind, before, write);
  const usual = !standing.done && !write.follows && kind !== 'production' && (standing.kind === null || standing.kind === kind) && write.baseVersion === standing.version;
  if (!usual) return writeRecord(db, v, kind, id, write);
  const body = signNew(kind, must(BODY_SCHEMAS[kind] as Schema, write.body) as RecordBodies[RecordKind], before?.body ?? null, v.name, standing.now.getTime());
  mustBeThere(referencesOf(kind, body), standing.found);
  await mustNameOwnFiles(db, v.productionId, body, before?.body ?? null);
  const { now } = standing;
  const version = standing.version + 1;
  const after: RecordState = { deleted: write.deleted, body };
  // somebody else was there between the two statements: the whole way finds out what that means
  if (!(await saveStraight(db, v, { kind, id, mutationId: write.mutationId, version, now, before, after }))) return writeRecord(db, v, kind, id, write);
  return { record: { id, kind, version, ...after, updatedAt: now.toISOString(), updatedBy: v.name }, merged: false, created: before === null };
}

/** Records whose id says whose they are. */
function mustStandThere(v: Viewer, kind: RecordKind, id: string): void {
  if (kind === 'person' && id !== v.userId) throw new ApiProblem('FORBIDDEN', 'What a person prefers is that person’s to choose.');
  if (kind === 'floor' && id !== v.productionId)
    throw new ApiProblem('INVALID', 'A production has one choice of fields, under its own id.', { fields: [{ field: 'id', message: 'must be the production’s' }] });
}

/** By the table of roles; a role that may change single fields of a kind only is held to them. */
function mustBeAllowed(v: Viewer, kind: RecordKind, before: RecordState | null, write: RecordWrite): void {
  const fields = before ? changedFields(before, { deleted: write.deleted, body: write.body }) : ['deleted'];
  const allowed = before ? mayChange(v.role, kind, fields) : mayWrite(v.role, kind);
  if (!allowed) throw new ApiProblem('FORBIDDEN', `As ${v.role} you may not change this. Leave a remark, or ask the wrangler or the supervisor.`);
}

async function readStanding(db: Database, productionId: string, id: string, mutationId: string, named: readonly string[]): Promise<Standing> {
  const [row] = await db.sequelize.query<{
    kind: RecordKind | null;
    version: number | null;
    deleted: boolean;
    body: RecordBodies[RecordKind];
    done: boolean;
    found: { id: string; kind: string }[] | null;
    now: Date;
  }>(
    `select r.kind, r.version, r.deleted, r.body, now() as now,
            exists (select 1 from record_changes c where c.production_id = $productionId::uuid and c.mutation_id = $mutationId::uuid) as done,
            (select json_agg(json_build_object('id', n.id, 'kind', n.kind)) from records n where n.production_id = $productionId::uuid and n.id = any($named::uuid[])) as found
       from (select 1) one left join records r on r.production_id = $productionId::uuid and r.id = $id::uuid`,
    { bind: { productionId, id, mutationId, named: `{${[...new Set(named)].join(',')}}` }, type: QueryTypes.SELECT },
  );
  return { kind: row.kind, version: row.version ?? 0, before: row.kind ? { deleted: row.deleted, body: row.body } : null, done: row.done, found: row.found ?? [], now: row.now };
}

interface Straight {
  kind: RecordKind;
  id: string;
  mutationId: string;
  version: number;
  now: Date;
  before: RecordState | null;
  after: RecordState;
}

/**
 * The record, its change and the word to the listeners, in one statement that is its own transaction; false when the record is not as it was.
 * The production's lock is taken after the row's, as the whole way does, and before the change gets its number (see `appendChange`).
 */
async function saveStraight(db: Database, v: Viewer, s: Straight): Promise<boolean> {
  const saved = s.before
    ? `update records set version = $version::int, deleted = $deleted::boolean, body = $body::jsonb, updated_at = $now::timestamptz, updated_by = $name::text
        where production_id = $productionId::uuid and id = $id::uuid and version = $version::int - 1 returning id`
    : `insert into records (production_id, id, kind, version, deleted, body, updated_at, updated_by)
        values ($productionId::uuid, $id::uuid, $kind::text, $version::int, $deleted::boolean, $body::jsonb, $now::timestamptz, $name::text) on conflict do nothing returning id`;
  try {
    const told = await db.sequelize.query(
      `with saved as (${saved}),
            turn as materialized (select pg_advisory_xact_lock(hashtextextended($productionId::uuid::text, 7215002)) from saved),
            logged as (insert into record_changes (production_id, record_id, mutation_id, version, user_id, user_name, changed_at, before, after)
                         select $productionId::uuid, $id::uuid, $mutationId::uuid, $version::int, $userId::uuid, $name::text, $now::timestamptz, $beforeState::jsonb, $afterState::jsonb from turn returning id)
       select pg_notify($channel::text, $productionId::uuid::text) from logged`,
      {
        bind: {
          productionId: v.productionId,
          id: s.id,
          ...(s.before ? {} : { kind: s.kind }),
          version: s.version,
          deleted: s.after.deleted,
          body: JSON.stringify(s.after.body),
          now: s.now.toISOString(),
          name: v.name,
          userId: v.userId,
          mutationId: s.mutationId,
          beforeState: s.before ? JSON.stringify(s.before) : null,
          afterState: JSON.stringify(s.after),
          channel: CHANGES_CHANNEL,
        },
        type: QueryTypes.SELECT,
      },
    );
    return told.length === 1;
  } catch (error) {
    // its twin is being written at this moment
    if (error instanceof UniqueConstraintError) return false;
    throw error;
  }
}
