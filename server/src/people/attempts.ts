import type { ClientRateLimitInfo, Store } from 'express-rate-limit';
import { QueryTypes } from 'sequelize';
import type { Database } from '../db/connect';

/** Attempts of one kind, counted in the database in one statement: many web processes count as one. Keys are kept as they are given. */
export class AttemptsInDatabase implements Store {
  private windowS = 60;
  constructor(
    private readonly db: Pick<Database, 'sequelize'>,
    readonly prefix: string,
  ) {}

  init({ windowMs }: { windowMs: number }): void {
    this.windowS = windowMs / 1000;
  }
  private ask<T extends object>(sql: string, key: string): Promise<T[]> {
    return this.db.sequelize.query<T>(sql, { replacements: { key: `${this.prefix} ${key}`, windowS: this.windowS }, type: QueryTypes.SELECT });
  }
  async increment(key: string): Promise<ClientRateLimitInfo> {
    const [{ hits, until }] = await this.ask<{ hits: number; until: Date }>(
      `insert into attempts as a (key, hits, until) values (:key, 1, now() + :windowS * interval '1 second')
       on conflict (key) do update set
         hits = case when a.until < now() then 1 else a.hits + 1 end,
         until = case when a.until < now() then excluded.until else a.until end
       returning hits, until`,
      key,
    );
    return { totalHits: hits, resetTime: until };
  }
  /** It was none that counts: somebody came in. That is the moment to clear what is over. */
  async decrement(key: string): Promise<void> {
    await this.ask('update attempts set hits = greatest(0, hits - 1) where key = :key returning key', key);
    await this.ask('delete from attempts where until < now() returning key', key);
  }
  async resetKey(key: string): Promise<void> {
    await this.ask('delete from attempts where key = :key returning key', key);
  }
}
