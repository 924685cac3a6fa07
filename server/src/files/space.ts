import type { Space } from '@mesure/contract';
import { statfs } from 'node:fs/promises';
import { QueryTypes, type Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';

export interface SpaceLimits {
  /** files of one production, and what its people have begun to send */
  productionBytes: number;
  /** uploads that one person has begun and not ended */
  begunByPerson: number;
  /** stays free on the disk: the database writes there too */
  reserveBytes: number;
}
const gb = (bytes: number): string => `${(bytes / 1e9).toFixed(bytes < 9.95e9 ? 1 : 0)} GB`;

/** On the disk of the files, beyond what is kept free for the database. */
export async function freeBytesOf(dir: string, reserveBytes: number): Promise<number> {
  const { bavail, bsize } = await statfs(dir);
  return Math.max(0, bavail * bsize - reserveBytes);
}

/**
 * How much room there is for files, and who may take it. Uploads under way are counted by a table, since any web process may have begun them;
 * `dir` is where this one keeps what it is given, for its disk, and `forget` lets go what was begun.
 */
export function spaceOf(db: Database, dir: string, limits: SpaceLimits, forget: (upload: string) => Promise<void>) {
  const ask = <T extends object>(sql: string, replacements: Record<string, string | number>, transaction?: Transaction): Promise<T[]> =>
    db.sequelize.query<T>(sql, { replacements, type: QueryTypes.SELECT, transaction });
  const freeBytes = () => freeBytesOf(dir, limits.reserveBytes);

  async function of(productionId: string, transaction?: Transaction): Promise<Space> {
    const [row] = await ask<{ used: string; begun: string }>(
      `select (select coalesce(sum(size_bytes), 0) from files where production_id = :productionId) as used,
              (select coalesce(sum(size_bytes), 0) from begun_uploads where production_id = :productionId) as begun`,
      { productionId },
      transaction,
    );
    // BIGINT comes as text
    return { usedBytes: Number(row.used), begunBytes: Number(row.begun), limitBytes: limits.productionBytes, freeBytes: await freeBytes() };
  }
  const end = (id: string) => ask('delete from begun_uploads where id = :id returning id', { id });

  return {
    of: (productionId: string) => of(productionId),
    /** Takes the room for an upload, one after the other in a production: two at once cannot both just fit. @throws ApiProblem NO_ROOM, before a byte is sent */
    async begin(id: string, { productionId, userId }: { productionId: string; userId: string }, sizeBytes: number): Promise<void> {
      await db.sequelize.transaction(async (transaction) => {
        await ask('select pg_advisory_xact_lock(hashtext(:productionId))', { productionId }, transaction);
        const [{ mine }] = await ask<{ mine: string }>('select count(*) as mine from begun_uploads where production_id = :productionId and user_id = :userId', { productionId, userId }, transaction);
        if (Number(mine) >= limits.begunByPerson) throw new ApiProblem('NO_ROOM', `${mine} of your uploads are begun and not at their end. Let them end first; nothing of this one was kept.`);
        const { usedBytes, begunBytes, limitBytes, freeBytes: free } = await of(productionId, transaction);
        if (usedBytes + begunBytes + sizeBytes > limitBytes)
          throw new ApiProblem(
            'NO_ROOM',
            `The production's files take ${gb(usedBytes + begunBytes)} of the ${gb(limitBytes)} that it may have; nothing of this one was kept. The server's keeper can give it more.`,
          );
        if (sizeBytes > free) throw new ApiProblem('NO_ROOM', `The server's disk has no room left for it (${gb(free)}); nothing was kept. What you enter is kept all the same.`);
        await ask(
          'insert into begun_uploads (id, production_id, user_id, size_bytes) values (:id, :productionId, :userId, :sizeBytes) returning id',
          { id, productionId, userId, sizeBytes },
          transaction,
        );
      });
    },
    /** somebody goes on with it */
    touch: (id: string) => ask('update begun_uploads set touched_at = now() where id = :id returning id', { id }),
    /** it is whole, or given up */
    end,
    /** Nobody went on with them for so long; and where the disk is nearly full those that wait longest: their device has the file and begins again. */
    async makeRoom(keptMs: number): Promise<string[]> {
      const gone: string[] = [];
      for (const { id, age } of await ask<{ id: string; age: string }>('select id, extract(epoch from now() - touched_at) * 1000 as age from begun_uploads order by touched_at', {})) {
        if (Number(age) < keptMs && ((await freeBytes()) > 0 || Number(age) < STILL_SENDING_MS)) break;
        await forget(id);
        await end(id);
        gone.push(id);
      }
      return gone;
    },
  };
}
export type SpaceRoom = ReturnType<typeof spaceOf>;

/** Touched within this it may be under way. */
const STILL_SENDING_MS = 15 * 60_000;
