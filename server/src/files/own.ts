import type { Transaction } from 'sequelize';
import type { Database } from '../db/connect';

/**
 * Of content hashes those that a production was given itself. The store keeps the same bytes once for all of them: whoever names a hash has not
 * thereby been given the file.
 */
export async function ownFiles(db: Database, productionId: string, hashes: readonly string[], transaction?: Transaction): Promise<Set<string>> {
  const found = hashes.length === 0 ? [] : await db.StoredFile.findAll({ where: { productionId, sha256: [...new Set(hashes)] }, attributes: ['sha256'], transaction });
  return new Set(found.map((f) => f.sha256));
}
