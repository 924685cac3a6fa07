import type { Database } from '../db/connect';
import type { FileStore } from '../files/store';

export interface Orphans {
  files: string[];
  bytes: number;
}
/** A file is kept before its row is written: what came lately may still get one. */
const LATELY_MS = 24 * 3_600_000;

/** Files that no production was given: of an upload that broke off at its last step, or of a production that is gone. */
export async function findOrphans(db: Database, store: FileStore, now = Date.now()): Promise<Orphans> {
  const found: Orphans = { files: [], bytes: 0 };
  let some: { sha256: string; sizeBytes: number }[] = [];
  const look = async () => {
    const known = new Set((await db.StoredFile.findAll({ where: { sha256: some.map((f) => f.sha256) }, attributes: ['sha256'] })).map((f) => f.sha256));
    for (const f of some.filter((one) => !known.has(one.sha256))) {
      found.files.push(f.sha256);
      found.bytes += f.sizeBytes;
    }
    some = [];
  };
  for await (const f of store.list()) {
    if (now - f.keptAtMs < LATELY_MS) continue;
    some.push(f);
    if (some.length === 500) await look();
  }
  await look();
  return found;
}
