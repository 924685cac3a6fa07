import type { Space } from '@mesure/contract';
import { readdir, readFile, rm, stat, statfs } from 'node:fs/promises';
import path from 'node:path';
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
interface Begun {
  id: string;
  sizeBytes: number;
  touchedAtMs: number;
}

const gb = (bytes: number): string => `${(bytes / 1e9).toFixed(bytes < 9.95e9 ? 1 : 0)} GB`;

/** On the disk of the files, beyond what is kept free for the database. */
export async function freeBytesOf(dir: string, reserveBytes: number): Promise<number> {
  const { bavail, bsize } = await statfs(dir);
  return Math.max(0, bavail * bsize - reserveBytes);
}

/** How much room there is for files, and who may take it. `dir` holds the uploads that are under way, as the upload package keeps them. */
export function spaceOf(db: Database, dir: string, limits: SpaceLimits) {
  /** Uploads under way whose name begins so: a production's, or a person's in it. */
  async function begun(prefix: string): Promise<Begun[]> {
    const names = (await readdir(dir)).filter((name) => name.startsWith(prefix) && name.endsWith('.json'));
    const all = await Promise.all(
      names.map(async (name): Promise<Begun | null> => {
        try {
          const file = path.join(dir, name);
          const { size } = JSON.parse(await readFile(file, 'utf8')) as { size?: number };
          const touched = await stat(file.slice(0, -'.json'.length)).catch(() => stat(file));
          return { id: name.slice(0, -'.json'.length), sizeBytes: size ?? 0, touchedAtMs: touched.mtimeMs };
        } catch {
          // ended meanwhile
          return null;
        }
      }),
    );
    return all.filter((b): b is Begun => b !== null);
  }
  const freeBytes = () => freeBytesOf(dir, limits.reserveBytes);
  const sum = (all: readonly Begun[]): number => all.reduce((s, b) => s + b.sizeBytes, 0);

  async function of(productionId: string): Promise<Space> {
    // BIGINT comes as text
    const usedBytes = Number(await db.StoredFile.sum('sizeBytes', { where: { productionId } })) || 0;
    return { usedBytes, begunBytes: sum(await begun(`${productionId}_`)), limitBytes: limits.productionBytes, freeBytes: await freeBytes() };
  }

  return {
    of,
    /** @throws ApiProblem NO_ROOM, before a byte is sent */
    async mustFit({ productionId, userId }: { productionId: string; userId: string }, sizeBytes: number): Promise<void> {
      const mine = await begun(`${productionId}_${userId}_`);
      if (mine.length >= limits.begunByPerson) throw new ApiProblem('NO_ROOM', `${mine.length} of your uploads are begun and not at their end. Let them end first; nothing of this one was kept.`);
      const { usedBytes, begunBytes, limitBytes, freeBytes: free } = await of(productionId);
      if (usedBytes + begunBytes + sizeBytes > limitBytes)
        throw new ApiProblem(
          'NO_ROOM',
          `The production's files take ${gb(usedBytes + begunBytes)} of the ${gb(limitBytes)} that it may have; nothing of this one was kept. The server's keeper can give it more.`,
        );
      if (sizeBytes > free) throw new ApiProblem('NO_ROOM', `The server's disk has no room left for it (${gb(free)}); nothing was kept. What you enter is kept all the same.`);
    },
    /** Where the disk is nearly full the uploads that nobody went on with for longest go first: their device has the file and begins again. */
    async makeRoom(): Promise<string[]> {
      const gone: string[] = [];
      for (const b of (await begun('')).sort((x, y) => x.touchedAtMs - y.touchedAtMs)) {
        if ((await freeBytes()) > 0 || Date.now() - b.touchedAtMs < STILL_SENDING_MS) break;
        await Promise.all([rm(path.join(dir, b.id), { force: true }), rm(path.join(dir, `${b.id}.json`), { force: true })]);
        gone.push(b.id);
      }
      return gone;
    },
  };
}
export type SpaceRoom = ReturnType<typeof spaceOf>;

/** Touched within this it may be under way. */
const STILL_SENDING_MS = 15 * 60_000;
