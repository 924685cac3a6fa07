import type { ServerState } from '@mesure/contract';
import { QueryTypes } from 'sequelize';
import { databaseNow } from '../db/clock';
import type { Database } from '../db/connect';
import { freeBytesOf } from '../files/space';
import { newestFaults } from './faults';

const FAULTS_SHOWN = 10;

export interface Counts {
  waiting: number;
  running: number;
  oldest_wait_s: number | null;
  failed_today: number;
  files_bytes: number;
  database_bytes: number;
  devices: number;
}

/** What the database counts of the whole installation; bytes are of files as they lie in the store, the same ones of two films once. */
export async function countsOf(db: Pick<Database, 'sequelize'>): Promise<Counts> {
  const [row] = await db.sequelize.query<Record<keyof Counts, string | number | null>>(
    `select (select count(*) from analyses where status = 'queued') as waiting,
            (select count(*) from analyses where status = 'running') as running,
            (select extract(epoch from now() - min(created_at)) from analyses where status = 'queued') as oldest_wait_s,
            (select count(*) from analyses where status = 'failed' and finished_at > now() - interval '1 day') as failed_today,
            (select coalesce(sum(size), 0) from (select distinct on (sha256) size_bytes as size from files) one) as files_bytes,
            pg_database_size(current_database()) as database_bytes,
            (select count(*) from sessions where seen_at > now() - interval '1 hour') as devices`,
    { type: QueryTypes.SELECT },
  );
  return Object.fromEntries(Object.entries(row).map(([k, v]) => [k, v === null ? null : Number(v)])) as unknown as Counts;
}

/** The state of the machine for who owns a film on it: counts of all films together, and nothing of what is in them. */
export async function stateOf(db: Database, dir: string, reserveBytes: number): Promise<ServerState> {
  const [now, counts, faults, installation, freeBytes] = await Promise.all([
    databaseNow(db),
    countsOf(db),
    newestFaults(db, FAULTS_SHOWN),
    db.Installation.findByPk(1),
    freeBytesOf(dir, reserveBytes),
  ]);
  return {
    at: now.toISOString(),
    queue: { waiting: counts.waiting, running: counts.running, oldestWaitS: counts.oldest_wait_s === null ? null : Math.round(counts.oldest_wait_s), failedToday: counts.failed_today },
    disk: { filesBytes: counts.files_bytes, databaseBytes: counts.database_bytes, freeBytes },
    devices: counts.devices,
    clock: { movedAt: installation?.clockMovedAt?.toISOString() ?? null },
    lastBackupAt: installation?.lastBackupAt?.toISOString() ?? null,
    faults,
  };
}
