import { randomUUID } from 'node:crypto';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { QueryTypes } from 'sequelize';
import { connect, folderStore, migrate, type Database } from '..';
import { createDatabase, startTestServer, type Person, type TestServer } from '../test-server';
import { backup, restore, TABLES, verifyBackup } from './archive';
import { findOrphans } from './orphans';
import { addPerson, beginLink, listPeople, listProductions, passwordLink, removePerson, signOutEverywhere } from './people';

let server: TestServer, wrangler: Person, other: Database;
const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-backup-test-'));
const incoming = path.join(dir, 'incoming');
const file = path.join(dir, 'backup.zip');
const otherFiles = path.join(dir, 'files');
beforeAll(async () => {
  mkdirSync(incoming);
  server = await startTestServer({ worker: false });
  wrangler = await server.signIn('wrangler');
  other = connect(await createDatabase('restored'));
  await migrate(other.sequelize);
});
afterAll(async () => {
  await other?.sequelize.close();
  await server?.stop();
  rmSync(dir, { recursive: true, force: true });
});

const rows = (db: Database, table: string) => db.sequelize.query(`select row_to_json(t)::text as line from ${table} t order by 1`, { type: QueryTypes.SELECT });
const tracks = Buffer.from('track,frame,x,y\n1,1,10.5,20.25\n1,2,11.5,20.5\n');

test('every table is either in a backup or known to stay out of it', async () => {
  const all = (await server.db.sequelize.query("select table_name as name from information_schema.tables where table_schema = 'public'", { type: QueryTypes.SELECT })) as { name: string }[];
  // a backup signs nobody in, what was guessed wrong is forgotten, faults are a machine's, and an installation has its own epoch
  const apart = ['sessions', 'sign_in_waits', 'installation', 'faults', 'migrations', 'begun_uploads', 'upload_locks', 'attempts'];
  expect(all.map((t) => t.name).sort()).toEqual([...TABLES, ...apart].sort());
});

test('a backup restored elsewhere is the same in every record and byte, and another epoch', async () => {
  const day = await server.layDay(wrangler);
  const given = (await server.give(wrangler, tracks, 'walk “ä” 漢.csv', 'tracks').expect(201)).body;
  const log = (i: number) =>
    server.put(wrangler, 'take', randomUUID(), { ...day.take(1), take: (i % 999) + 1, notes: `“Zoë” 漢字 ${i}\n\\ '`, tracks: { sha256: given.sha256, name: given.name } }).expect(201);
  for (let i = 1; i <= 620; i += 20) await Promise.all(Array.from({ length: 20 }, (_, k) => log(i + k)));
  const made = await backup(server.db, server.store, file);
  expect(made.tables.find((t) => t.name === 'records')!.rows).toBeGreaterThan(620);
  expect(await verifyBackup(file)).toEqual(made);
  expect((await server.db.Installation.findByPk(1))!.lastBackupAt).toEqual(new Date(made.madeAt));

  const store = folderStore(otherFiles);
  await restore(other, store, file, incoming);
  for (const table of TABLES) expect([table, await rows(other, table)]).toEqual([table, await rows(server.db, table)]);
  expect((await store.read(given.sha256)).equals(tracks)).toBe(true);
  const [before, after] = await Promise.all([server.db, other].map(async (db) => (await db.Installation.findByPk(1))!.epoch));
  expect(after).not.toBe(before);
  // the log of changes goes on where it was
  const change = {
    productionId: server.ids.p1,
    recordId: day.setup,
    mutationId: randomUUID(),
    version: 99,
    userId: server.ids.wrangler,
    userName: 'wrangler',
    changedAt: new Date(),
    before: null,
    after: { deleted: false, body: {} },
    sent: null,
  };
  const last = Math.max(...(await other.EntryChange.findAll({ attributes: ['id'] })).map((c) => Number(c.id)));
  expect(Number((await other.EntryChange.create(change)).id)).toBe(last + 1);
});

test('nothing is restored over people who are there', async () => {
  await expect(restore(other, folderStore(otherFiles), file, incoming)).rejects.toThrow(/empty installation/);
});

test('a damaged backup is told from a whole one, and nothing of it is taken', async () => {
  const bytes = readFileSync(file);
  const damaged = path.join(dir, 'damaged.zip');
  // a byte within the first stored file: its place is found by its own bytes
  const at = bytes.indexOf(tracks);
  expect(at).toBeGreaterThan(0);
  const changed = Buffer.from(bytes);
  changed[at + 20] ^= 1;
  writeFileSync(damaged, changed);
  await expect(verifyBackup(damaged)).rejects.toThrow(/not as it was written|CRC|checksum/i);
  const empty = connect(await createDatabase('damaged'));
  await migrate(empty.sequelize);
  await expect(restore(empty, folderStore(path.join(dir, 'damaged-files')), damaged, incoming)).rejects.toThrow();
  expect(await empty.User.count()).toBe(0);
  await empty.sequelize.close();
  writeFileSync(damaged, bytes.subarray(0, 2000));
  await expect(verifyBackup(damaged)).rejects.toThrow(/no zip/);
});

describe('who keeps the server', () => {
  test('adds a person by a link, gives a new password, signs out, removes', async () => {
    expect((await listProductions(server.db)).map((p) => p.name)).toEqual(['One', 'Two']);
    expect((await listPeople(server.db)).filter((p) => p.production === 'Two')).toMatchObject([{ name: 'stranger', role: 'owner' }]);
    expect(await addPerson(server.db, 'Somebody', 'Two', 'guest')).toMatch(/^[\w-]{32}$/);
    await expect(addPerson(server.db, 'X', 'Three', 'guest')).rejects.toThrow(/no production Three/);
    await expect(addPerson(server.db, 'X', 'Two', 'king' as never)).rejects.toThrow(/no role/);
    expect(await passwordLink(server.db, 'guest')).toMatch(/^[\w-]{32}$/);
    await server.signIn('guest');
    expect(await signOutEverywhere(server.db, 'guest')).toBe(1);
    await expect(removePerson(server.db, 'owner')).rejects.toThrow(/only owner/);
    expect(await removePerson(server.db, 'guest')).toBe('guest is out of 1 production.');
    await expect(beginLink(server.db)).rejects.toThrow(/begun/);
  });
});

test('files of no production are found when they are older than a day, and only those', async () => {
  const folder = path.join(dir, 'orphans');
  const store = folderStore(folder);
  const keep = async (text: string, ageH: number) => {
    const temporary = path.join(dir, 'one');
    writeFileSync(temporary, text);
    const sha256 = await store.put(temporary);
    const then = Date.now() / 1000 - 3600 * ageH;
    utimesSync(path.join(folder, sha256.slice(0, 2), sha256), then, then);
    return sha256;
  };
  const [orphan, young, given] = [await keep('nobody’s', 30), await keep('still coming', 2), await keep('given', 300)];
  await server.db.StoredFile.create({ productionId: server.ids.p1, sha256: given, name: 'g', mime: 'text/csv', sizeBytes: 5, widthPx: null, heightPx: null });
  expect(await findOrphans(server.db, store)).toEqual({ files: [orphan], bytes: Buffer.byteLength('nobody’s') });
  await store.remove(orphan);
  expect(await findOrphans(server.db, store)).toEqual({ files: [], bytes: 0 });
  expect([await store.has(orphan), await store.has(young), await store.has(given)]).toEqual([false, true, true]);
});
