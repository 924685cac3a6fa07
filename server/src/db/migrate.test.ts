import { randomUUID } from 'node:crypto';
import { QueryTypes } from 'sequelize';
import { changesAfter } from '../records/changes';
import { writeRecord } from '../records/service';
import { hashPassword, verifyPassword } from '../people/passwords';
import { createDatabase } from '../test-server';
import { connect, type Database } from './connect';
import { migrate, migrateDown, MIGRATIONS } from './migrate';

const NAMES = MIGRATIONS.map(([name]) => name);
const opened: Database[] = [];
async function fresh(name: string): Promise<Database> {
  const db = connect(await createDatabase(name));
  opened.push(db);
  return db;
}
afterAll(() => Promise.all(opened.map((db) => db.sequelize.close())));

const rows = <T extends object>(db: Database, sql: string) => db.sequelize.query<T>(sql, { type: QueryTypes.SELECT });
/** Everything that a schema is: columns, keys, indexes, and which migrations it has. */
const schemaOf = async (db: Database) => ({
  columns: await rows(
    db,
    "select table_name, column_name, data_type, is_nullable, column_default from information_schema.columns where table_schema = 'public' and table_name not like 'ddl_%' order by table_name, column_name",
  ),
  keys: await rows(db, "select conrelid::regclass::text as of, conname, pg_get_constraintdef(oid) as says from pg_constraint where connamespace = 'public'::regnamespace order by 1, 2"),
  indexes: await rows(db, "select indexname, indexdef from pg_indexes where schemaname = 'public' order by 1"),
  done: await rows(db, 'select name from migrations order by 1').catch(() => []),
});

test('their names count up without a gap', () => {
  expect(NAMES.map((n) => n.slice(0, 5))).toEqual(NAMES.map((_, i) => `${String(i + 1).padStart(4, '0')}-`));
});

test('they go down and up again, to the same schema', async () => {
  const db = await fresh('updown');
  expect(await migrate(db.sequelize)).toEqual(NAMES);
  expect(await migrate(db.sequelize)).toEqual([]);
  const before = await schemaOf(db);
  expect(await migrateDown(db.sequelize, NAMES.length)).toEqual([...NAMES].reverse());
  expect(await migrate(db.sequelize)).toEqual(NAMES);
  expect(await schemaOf(db)).toEqual(before);
  // each connection has models of its own
  expect(await db.Production.count()).toBe(0);
});

/** What the first release kept, written as it wrote it: two films, a person in both, takes with their history, files, a test solve. */
async function layFirstRelease(db: Database) {
  const ids = { ada: randomUUID(), ivo: randomUUID(), one: randomUUID(), two: randomUUID(), set: randomUUID(), other: randomUUID(), solve: randomUUID() };
  const sha = 'ab'.repeat(32);
  const run = (sql: string, values: Record<string, unknown> = {}) => db.sequelize.query(sql, { replacements: { ...ids, sha, ...values } });
  await run("insert into users (id, name, password_hash) values (:ada, 'Ada Quill', :hash), (:ivo, 'Ivo “Tam” 漢', 'scrypt$x$y')", { hash: await hashPassword('seven herons under ice') });
  await run("insert into productions (id, name) values (:one, 'Tin Harbour'), (:two, 'The Salt Ferry')");
  await run("insert into memberships (user_id, production_id, role) values (:ada, :one, 'owner'), (:ada, :two, 'wrangler'), (:ivo, :one, 'solver')");
  await run("insert into sessions (token_sha256, user_id, production_id, csrf_token, expires_at) values ('token', :ada, :one, 'csrf', now() + interval '30 days')");
  const set = (name: string) => JSON.stringify({ name, marks: [] });
  await run(
    `insert into records (id, production_id, kind, version, body, updated_at, updated_by) values
       (:set, :one, 'set', 2, :now, '2026-10-01T10:00:00Z', 'Ada Quill'), (:other, :two, 'set', 1, :other1, '2026-10-02T10:00:00Z', 'Ada Quill')`,
    { now: set('Quay “ä” \n 漢'), other1: set('Cabin') },
  );
  await run(
    `insert into record_changes (record_id, mutation_id, version, user_id, user_name, changed_at, before, after) values
       (:set, gen_random_uuid(), 1, :ada, 'Ada Quill', '2026-10-01T09:00:00Z', null, :first),
       (:set, gen_random_uuid(), 2, :ada, 'Ada Quill', '2026-10-01T10:00:00Z', :first, :second),
       (:other, gen_random_uuid(), 1, :ada, 'Ada Quill', '2026-10-02T10:00:00Z', null, :third)`,
    {
      first: JSON.stringify({ deleted: false, body: { name: 'Quay', marks: [] } }),
      second: JSON.stringify({ deleted: false, body: { name: 'Quay “ä” \n 漢', marks: [] } }),
      third: JSON.stringify({ deleted: false, body: { name: 'Cabin', marks: [] } }),
    },
  );
  await run("insert into files (production_id, sha256, name, mime, size_bytes) values (:one, :sha, 'a.csv', 'text/csv', 5000000000), (:two, :sha, 'b.csv', 'text/csv', 5000000000)");
  await run(
    `insert into analyses (id, production_id, kind, subject_id, status, input, outcome, finished_at)
       values (:solve, :one, 'solve', :set, 'done', '{"tracks":1}', '{"rmsPx":0.25}', '2026-10-01T11:00:00Z')`,
  );
  return ids;
}
/** The columns that the first release had, of every table that it had. */
const FIRST: Record<string, string> = {
  users: 'id, name, password_hash, created_at',
  productions: 'id, name, created_at',
  memberships: 'user_id, production_id, role',
  sessions: 'token_sha256, user_id, production_id, csrf_token, created_at, expires_at',
  records: 'id, production_id, kind, version, deleted, body, updated_at, updated_by',
  record_changes: 'id, record_id, mutation_id, version, user_id, user_name, changed_at, before, after',
  files: 'production_id, sha256, name, mime, size_bytes, width_px, height_px, created_at',
  analyses: 'id, production_id, kind, subject_id, status, progress, stage, stop_requested, input, outcome, error, created_at, finished_at',
};
const firstData = async (db: Database) =>
  Object.fromEntries(await Promise.all(Object.entries(FIRST).map(async ([table, columns]) => [table, await rows(db, `select ${columns} from ${table} order by 1, 2`)])));

test('what the first release kept is the same after each of them, can be signed in to, read by phones, and changed', async () => {
  const db = await fresh('first');
  await migrate(db.sequelize, NAMES[0]);
  const ids = await layFirstRelease(db);
  const before = await firstData(db);
  expect(Object.values(before).map((r) => (r as unknown[]).length)).toEqual([2, 2, 3, 1, 2, 3, 2, 1]);
  for (const name of NAMES.slice(1)) {
    expect(await migrate(db.sequelize, name)).toEqual([name]);
    expect([name, await firstData(db)]).toEqual([name, before]);
  }
  const ada = (await db.User.findByPk(ids.ada))!;
  expect(await verifyPassword('seven herons under ice', ada.passwordHash)).toBe(true);
  const { records, cursor, whole } = await changesAfter(db, ids.one, null);
  expect([records.map((r) => [r.id, r.version, (r.body as { name: string }).name]), whole]).toEqual([[[ids.set, 2, 'Quay “ä” \n 漢']], true]);
  const author = { userId: ids.ada, name: 'Ada Quill', productionId: ids.one };
  const write = { mutationId: randomUUID(), baseVersion: 2, deleted: false, body: { name: 'Quay at night', marks: [] } };
  expect((await writeRecord(db, author, 'set', ids.set, write)).record).toMatchObject({ version: 3, body: { name: 'Quay at night' } });
  expect((await changesAfter(db, ids.one, cursor)).records).toMatchObject([{ id: ids.set, version: 3 }]);
  // and down again, but for what was changed since
  await migrateDown(db.sequelize, NAMES.length - 1);
  const after = await firstData(db);
  for (const table of ['users', 'productions', 'memberships', 'sessions', 'files', 'analyses']) expect([table, after[table]]).toEqual([table, before[table]]);
});

test('a session whose last sight stood where its beginning belongs gets both back', async () => {
  const db = await fresh('seen');
  await migrate(db.sequelize, NAMES[0]);
  const ids = await layFirstRelease(db);
  await migrate(db.sequelize, '0011-record-keys');
  // signed in on the first, for thirty days, and seen on the ninth: as the version before wrote it
  await db.sequelize.query("update sessions set created_at = '2026-11-09T12:00Z', seen_at = '2026-11-01T08:00Z', expires_at = '2026-12-01T08:00Z'");
  await migrate(db.sequelize);
  const session = (await db.Session.findOne({ where: { userId: ids.ada } }))!;
  expect([session.createdAt.toISOString(), session.seenAt.toISOString()]).toEqual(['2026-11-01T08:00:00.000Z', '2026-11-09T12:00:00.000Z']);
});

test('each of them that fails, at whichever of its steps, leaves the schema and the data that were there', async () => {
  const db = await fresh('fails');
  await migrate(db.sequelize, NAMES[0]);
  await layFirstRelease(db);
  // the sequence is not taken back with the transaction: it counts the steps of all tries
  await db.sequelize.query(`
    create sequence ddl_steps; create table ddl_fails (at bigint);
    create function ddl_fail() returns event_trigger language plpgsql as $$
    begin
      if nextval('ddl_steps') >= (select max(at) from ddl_fails) then raise exception 'the disk is full'; end if;
    end $$;
    create event trigger ddl_fail on ddl_command_end execute function ddl_fail()`);
  const failAt = async (step: number | null) => {
    await db.sequelize.query(`delete from ddl_fails; ${step === null ? '' : `insert into ddl_fails values (${step})`}`);
    await db.sequelize.query("select setval('ddl_steps', 1, false)");
  };
  let failures = 0;
  for (const name of NAMES.slice(1)) {
    const [schema, data] = [await schemaOf(db), await firstData(db)];
    for (let step = 1; ; step += 1) {
      await failAt(step);
      const why = await migrate(db.sequelize, name).then(
        () => null,
        (e: Error) => e.message,
      );
      await failAt(null);
      if (why === null) break;
      failures += 1;
      expect(why).toMatch(/the disk is full/);
      expect([name, step, await schemaOf(db)]).toEqual([name, step, schema]);
      expect([name, step, await firstData(db)]).toEqual([name, step, data]);
    }
    expect((await schemaOf(db)).done).toHaveLength(NAMES.indexOf(name) + 1);
  }
  expect(failures).toBeGreaterThan(20);
});
