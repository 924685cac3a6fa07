import type { Database } from '../db/connect';

/**
 * Of content hashes those that a production was given itself. The store keeps the same bytes once for all of them: whoever names a hash has not
 * thereby been given the file.
 */
export async function ownFiles(db: Database, productionId: string, hashes: readonly string[]): Promise<Set<string>> {
  const found = hashes.length === 0 ? [] : await db.StoredFile.findAll({ where: { productionId, sha256: [...new Set(hashes)] }, attributes: ['sha256'] });
  return new Set(found.map((f) => f.sha256));
}

/** Every file that a thing names, at any depth. */
export function filesNamed(thing: unknown): { sha256: string; name: string }[] {
  if (typeof thing !== 'object' || thing === null) return [];
  if (Array.isArray(thing)) return thing.flatMap(filesNamed);
  const { sha256, name } = thing as { sha256?: unknown; name?: unknown };
  if (typeof sha256 === 'string' && typeof name === 'string') return [{ sha256, name }];
  return Object.values(thing).flatMap(filesNamed);
}
