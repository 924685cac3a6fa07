import { randomUUID } from 'node:crypto';
import { mkdirSync, readdirSync, rmSync, statSync } from 'node:fs';
import { copyFile, link, readFile, rename, rm, stat } from 'node:fs/promises';
import path from 'node:path';
import { isSha256 } from './store';

/** A program that works with a file for longer than this is not of this server. */
const LEFT_BEHIND_MS = 6 * 3600_000;

/** Brings the bytes of a name into a file. @throws when they cannot be had, or are others */
type Fetch = (sha256: string, file: string) => Promise<void>;

/**
 * Bytes of a store far away, kept in a folder of this machine: those that were not used for longest go when there are more than `maxBytes`.
 * Who works with a file holds a name of its own for it, so that it may go meanwhile, also when another process lets it go.
 */
export function openCache(dir: string, maxBytes: number) {
  mkdirSync(dir, { recursive: true });
  const place = (sha256: string) => path.join(dir, sha256);
  /** of what is kept, the one used last at the end */
  const sizes = new Map<string, number>();
  let total = 0;
  for (const name of readdirSync(dir)) {
    const { size, mtimeMs } = statSync(place(name), { throwIfNoEntry: false }) ?? { size: 0, mtimeMs: Date.now() };
    if (isSha256(name)) keep(name, size);
    // of a process that ended in the middle; another one may be at work in this folder
    else if (Date.now() - mtimeMs > LEFT_BEHIND_MS) rmSync(place(name), { force: true });
  }
  function letGo(sha256: string): void {
    total -= sizes.get(sha256) ?? 0;
    sizes.delete(sha256);
    rmSync(place(sha256), { force: true });
  }
  function keep(sha256: string, bytes: number): void {
    total += bytes - (sizes.get(sha256) ?? 0);
    sizes.delete(sha256);
    sizes.set(sha256, bytes);
    // one that is larger than all that may be kept pushes nothing else out
    if (bytes > maxBytes) letGo(sha256);
    for (const oldest of sizes.keys()) {
      if (total <= maxBytes) break;
      letGo(oldest);
    }
  }
  const coming = new Map<string, Promise<void>>();

  async function mustHave(sha256: string, fetch: Fetch): Promise<void> {
    const there = await stat(place(sha256)).catch(() => null);
    if (there) {
      keep(sha256, there.size);
      return;
    }
    const going = coming.get(sha256) ?? bring(sha256, fetch).finally(() => coming.delete(sha256));
    coming.set(sha256, going);
    await going;
  }
  async function bring(sha256: string, fetch: Fetch): Promise<void> {
    const partial = path.join(dir, `coming-${randomUUID()}`);
    try {
      await fetch(sha256, partial);
      const { size } = await stat(partial);
      await rename(partial, place(sha256));
      keep(sha256, size);
    } finally {
      await rm(partial, { force: true });
    }
  }
  async function file<T>(sha256: string, fetch: Fetch, work: (file: string) => Promise<T>): Promise<T> {
    const own = path.join(dir, `used-${randomUUID()}`);
    await mustHave(sha256, fetch);
    await link(place(sha256), own).catch((error: NodeJS.ErrnoException) => {
      // it went between the two, or is too large to be kept
      if (error.code !== 'ENOENT') throw error;
      return fetch(sha256, own);
    });
    try {
      return await work(own);
    } finally {
      await rm(own, { force: true });
    }
  }
  return {
    file,
    bytes: (sha256: string, fetch: Fetch): Promise<Buffer> => file(sha256, fetch, (at) => readFile(at)),
    /** moves a file in: it was just given, and is asked for next */
    async take(sha256: string, temporaryFile: string): Promise<void> {
      const { size } = await stat(temporaryFile);
      const partial = path.join(dir, `coming-${randomUUID()}`);
      await copyFile(temporaryFile, partial);
      await rename(partial, place(sha256));
      keep(sha256, size);
      await rm(temporaryFile, { force: true });
    },
    async drop(sha256: string): Promise<void> {
      letGo(sha256);
    },
  };
}
