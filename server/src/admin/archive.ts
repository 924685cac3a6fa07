import archiver from 'archiver';
import { createHash } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { mkdtemp, rename, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
import { QueryTypes, Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import { schemaVersion } from '../db/migrate';
import type { FileStore } from '../files/store';
import { openZip } from '@mesure/formats/zip';

/** In the order in which they can be put back: what is referred to comes first. Sessions are not among them: a backup signs nobody in. */
export const TABLES = ['users', 'productions', 'memberships', 'links', 'second_steps', 'records', 'record_changes', 'files', 'analyses'] as const;
const FORMAT = 'mesure backup 1';
const ROWS_AT_ONCE = 500;

export interface Manifest {
  format: string;
  madeAt: string;
  epoch: string;
  /** name of the newest migration */
  schema: string;
  tables: { name: string; path: string; rows: number; sha256: string }[];
  files: { sha256: string; sizeBytes: number }[];
}
export class BackupError extends Error {}

/**
 * Database and files in one zip of open files: JSON lines by table, each file under its SHA-256, and a manifest with checksums. The
 * database is read in one snapshot; a file is kept before its row is written and never changes, so that every row's file is there.
 */
export async function backup(db: Database, store: FileStore, to: string, say: (text: string) => void = () => undefined): Promise<Manifest> {
  const scratch = await mkdtemp(path.join(os.tmpdir(), 'mesure-backup-'));
  const partial = `${to}.partial`;
  try {
    const isolationLevel = Transaction.ISOLATION_LEVELS.REPEATABLE_READ;
    const read = await db.sequelize.transaction({ isolationLevel }, async (transaction) => {
      const tables: Manifest['tables'] = [];
      for (const name of TABLES) {
        const { rows, sha256 } = await dumpTable(db, name, path.join(scratch, `${name}.jsonl`), transaction);
        tables.push({ name, path: `database/${name}.jsonl`, rows, sha256 });
      }
      const files = await db.sequelize.query<{ sha256: string; size: string }>('select distinct on (sha256) sha256, size_bytes as size from files order by sha256', {
        type: QueryTypes.SELECT,
        transaction,
      });
      const installation = await db.Installation.findByPk(1, { transaction });
      return { tables, files: files.map((f) => ({ sha256: f.sha256, sizeBytes: Number(f.size) })), epoch: installation!.epoch };
    });
    const manifest: Manifest = { format: FORMAT, madeAt: new Date().toISOString(), schema: await schemaVersion(db.sequelize), ...read };
    const zip = archiver('zip', { zlib: { level: 6 }, forceZip64: true });
    const done = pipeline(zip, createWriteStream(partial));
    zip.append(`${JSON.stringify(manifest, null, 2)}\n`, { name: 'manifest.json' });
    for (const t of manifest.tables) zip.file(path.join(scratch, `${t.name}.jsonl`), { name: t.path });
    for (const [i, f] of manifest.files.entries()) {
      if (i % 100 === 0) say(`files ${i} of ${manifest.files.length}`);
      const written = new Promise((resolve) => zip.once('entry', resolve));
      // pictures and clips are packed already
      zip.append(await store.read(f.sha256), { name: `files/${f.sha256}`, store: true });
      await written;
    }
    await Promise.all([zip.finalize(), done]);
    await rename(partial, to);
    await db.Installation.update({ lastBackupAt: new Date(manifest.madeAt) }, { where: { id: 1 } });
    return manifest;
  } finally {
    await rm(scratch, { recursive: true, force: true });
    await rm(partial, { force: true });
  }
}

async function dumpTable(db: Database, name: string, file: string, transaction: Transaction): Promise<{ rows: number; sha256: string }> {
  const hash = createHash('sha256');
  const out = createWriteStream(file);
  let rows = 0;
  // a cursor holds its place in the snapshot, so that a table larger than the memory goes through
  await db.sequelize.query(`declare dump_${name} no scroll cursor for select row_to_json(t)::text as line from ${name} t`, { transaction });
  for (;;) {
    const batch = await db.sequelize.query<{ line: string }>(`fetch ${ROWS_AT_ONCE} from dump_${name}`, { type: QueryTypes.SELECT, transaction });
    if (batch.length === 0) break;
    const text = batch.map((r) => `${r.line}\n`).join('');
    hash.update(text);
    rows += batch.length;
    if (!out.write(text)) await new Promise<void>((resolve) => out.once('drain', () => resolve()));
  }
  await db.sequelize.query(`close dump_${name}`, { transaction });
  await new Promise<void>((resolve, reject) => out.end((error?: Error | null) => (error ? reject(error) : resolve())));
  return { rows, sha256: hash.digest('hex') };
}

/** Every checksum of an archive against what is in it. */
export async function verifyBackup(file: string): Promise<Manifest> {
  const { manifest, entries, close } = await openBackup(file);
  try {
    for (const t of manifest.tables) {
      const hash = createHash('sha256');
      let rows = 0;
      for await (const chunk of await entries.open(t.path)) {
        hash.update(chunk as Buffer);
        for (const byte of chunk as Buffer) if (byte === 10) rows += 1;
      }
      if (hash.digest('hex') !== t.sha256 || rows !== t.rows) throw new BackupError(`${file}: ${t.path} is not as it was written (${rows} of ${t.rows} rows). Take another backup.`);
    }
    for (const f of manifest.files) {
      const hash = createHash('sha256');
      for await (const chunk of await entries.open(`files/${f.sha256}`)) hash.update(chunk as Buffer);
      if (hash.digest('hex') !== f.sha256) throw new BackupError(`${file}: the file ${f.sha256} is not as it was written.`);
    }
    return manifest;
  } finally {
    close();
  }
}

/**
 * Puts a backup into an installation that holds nothing. All or nothing for the database; the epoch becomes a new one, so that each phone
 * looks for what only it holds. Jobs that ran when the backup was made are stopped: their queue is not part of it.
 */
export async function restore(db: Database, store: FileStore, file: string, incoming: string): Promise<Manifest> {
  if ((await db.User.count()) > 0 || (await db.Production.count()) > 0)
    throw new BackupError('There are people or productions here already. A restore goes into an empty installation only; nothing was changed.');
  const manifest = await verifyBackup(file);
  const here = await schemaVersion(db.sequelize);
  if (manifest.schema !== here) throw new BackupError(`The backup is of ${manifest.schema}, this program of ${here}. Restore it with the version that made it, then upgrade.`);
  const { entries, close } = await openBackup(file);
  try {
    for (const f of manifest.files) {
      const temporary = path.join(incoming, `restore-${f.sha256}`);
      await pipeline(await entries.open(`files/${f.sha256}`), createWriteStream(temporary));
      await store.put(temporary);
    }
    await db.sequelize.transaction(async (transaction) => {
      for (const t of manifest.tables) {
        let rest = '';
        let batch: string[] = [];
        const flush = async () => {
          if (batch.length === 0) return;
          await db.sequelize.query(`insert into ${t.name} select * from json_populate_recordset(null::${t.name}, :rows::json)`, { replacements: { rows: `[${batch.join(',')}]` }, transaction });
          batch = [];
        };
        for await (const chunk of await entries.open(t.path)) {
          const lines = (rest + (chunk as Buffer).toString('latin1')).split('\n');
          rest = lines.pop()!;
          for (const line of lines) {
            // bytes until a line is whole: a chunk may end within a letter
            batch.push(Buffer.from(line, 'latin1').toString('utf8'));
            if (batch.length >= ROWS_AT_ONCE) await flush();
          }
        }
        await flush();
      }
      await db.sequelize.query("select setval(pg_get_serial_sequence('record_changes', 'id'), (select coalesce(max(id), 0) + 1 from record_changes), false)", { transaction, type: QueryTypes.SELECT });
      await db.sequelize.query("update analyses set status = 'stopped', stage = 'stopped by a restore', finished_at = now() where status in ('queued', 'running')", { transaction });
      await db.sequelize.query('update installation set epoch = gen_random_uuid()', { transaction });
    });
    return manifest;
  } finally {
    close();
  }
}

async function openBackup(file: string) {
  const { entries, close } = await openZip(file).catch((error: Error) => {
    throw new BackupError(`${file} is no zip that can be read: ${error.message}`);
  });
  const manifest = JSON.parse((await entries.read('manifest.json')).toString('utf8')) as Manifest;
  if (manifest.format !== FORMAT) throw new BackupError(`${file} is ${manifest.format ?? 'something else'}; ${FORMAT} is read here.`);
  return { manifest, entries, close };
}
