import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { access, copyFile, mkdir, readdir, readFile, rename, rm, stat } from 'node:fs/promises';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';

/** Content-addressed bytes. A folder here; anything that can keep and give bytes by name can stand in for it. */
export interface FileStore {
  /** moves a temporary file in; the same content twice is kept once */
  put(temporaryFile: string): Promise<string>;
  read(sha256: string): Promise<Buffer>;
  has(sha256: string): Promise<boolean>;
  /** everything that is kept, with when it came */
  list(): AsyncIterable<{ sha256: string; sizeBytes: number; keptAtMs: number }>;
  remove(sha256: string): Promise<void>;
  /** the bytes as a file of this machine, for programs that read files, while `work` lasts */
  withFile<T>(sha256: string, work: (file: string) => Promise<T>): Promise<T>;
}

export const isSha256 = (text: string): boolean => /^[0-9a-f]{64}$/.test(text);
export async function sha256OfFile(file: string): Promise<string> {
  const hash = createHash('sha256');
  await pipeline(createReadStream(file), hash);
  return hash.digest('hex');
}

export function folderStore(dir: string): FileStore {
  const place = (sha256: string) => {
    if (!isSha256(sha256)) throw new Error('not a SHA-256');
    return path.join(dir, sha256.slice(0, 2), sha256);
  };
  return {
    async put(temporaryFile) {
      const sha256 = await sha256OfFile(temporaryFile);
      const target = place(sha256);
      await mkdir(path.dirname(target), { recursive: true });
      const there = await access(target).then(
        () => true,
        () => false,
      );
      if (there) await rm(temporaryFile, { force: true });
      else {
        // copy, then rename: a reader never sees half a file, also when the temporary one is on another disk
        const partial = `${target}.${process.pid}.${Date.now()}`;
        await copyFile(temporaryFile, partial);
        await rename(partial, target);
        await rm(temporaryFile, { force: true });
      }
      return sha256;
    },
    read: (sha256) => readFile(place(sha256)),
    has: (sha256) =>
      access(place(sha256)).then(
        () => true,
        () => false,
      ),
    async *list() {
      for (const folder of (await readdir(dir).catch(() => [])).filter((name) => /^[0-9a-f]{2}$/.test(name)))
        for (const sha256 of (await readdir(path.join(dir, folder))).filter(isSha256)) {
          const { size, mtimeMs } = await stat(place(sha256));
          yield { sha256, sizeBytes: size, keptAtMs: mtimeMs };
        }
    },
    remove: (sha256) => rm(place(sha256), { force: true }),
    withFile: (sha256, work) => work(place(sha256)),
  };
}
