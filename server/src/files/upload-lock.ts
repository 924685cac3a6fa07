import { ERRORS, type Lock, type Locker, type RequestRelease } from '@tus/server';
import { randomUUID } from 'node:crypto';
import { setTimeout as wait } from 'node:timers/promises';
import { QueryTypes } from 'sequelize';
import type { Database } from '../db/connect';

/** A process that died holds an upload no longer than this. */
const LEASE_S = 15;
const LOOK_MS = 1000;
const ASK_MS = 150;
const PATIENCE_MS = 30_000;

/**
 * One request at a time goes on with an upload, on whichever machine it arrives. Who waits says so in the row, and the request that has it
 * (of a line that is dead, mostly) lets it go within a second. A lease, not a lock of the database's: that would hold a connection for as long as a clip takes.
 */
export const databaseLocker = (db: Pick<Database, 'sequelize'>): Locker => ({ newLock: (id) => new DatabaseLock(db, id) });

class DatabaseLock implements Lock {
  private readonly holder = randomUUID();
  private timer: NodeJS.Timeout | null = null;
  constructor(
    private readonly db: Pick<Database, 'sequelize'>,
    private readonly id: string,
  ) {}

  private ask<T extends object>(sql: string): Promise<T[]> {
    return this.db.sequelize.query<T>(sql, { replacements: { id: this.id, holder: this.holder, lease: LEASE_S }, type: QueryTypes.SELECT });
  }

  async lock(signal: AbortSignal, release: RequestRelease): Promise<void> {
    const until = Date.now() + PATIENCE_MS;
    for (;;) {
      const taken = await this.ask(
        `insert into upload_locks as l (id, holder, until, wanted) values (:id, :holder, now() + :lease * interval '1 second', false)
         on conflict (id) do update set holder = excluded.holder, until = excluded.until, wanted = false where l.until < now()
         returning id`,
      );
      if (taken.length > 0) break;
      if (signal.aborted || Date.now() > until) throw ERRORS.ERR_LOCK_TIMEOUT;
      await this.ask('update upload_locks set wanted = true where id = :id returning id');
      await wait(ASK_MS);
    }
    this.timer = setInterval(() => void this.look(release), LOOK_MS);
  }

  /** Goes on having it, unless somebody waits for it or it was taken meanwhile. */
  private async look(release: RequestRelease): Promise<void> {
    const mine = await this.ask<{ wanted: boolean }>(`update upload_locks set until = now() + :lease * interval '1 second' where id = :id and holder = :holder returning wanted`).catch(() => null);
    if (mine !== null && (mine.length === 0 || mine[0].wanted)) await release();
  }

  async unlock(): Promise<void> {
    if (this.timer) clearInterval(this.timer);
    await this.ask('delete from upload_locks where id = :id and holder = :holder returning id');
  }
}
