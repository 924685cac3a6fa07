import { BODY_SCHEMAS, type RecordKind, type RecordWrite, type StoredRecord } from '@mesure/contract';
import type { Schema } from 'joi';
import { UniqueConstraintError } from 'sequelize';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';
import { must } from '../http/validate';
import { toRecord } from './model';

export interface Author {
  userId: string;
  name: string;
  productionId: string;
}

/**
 * Creates or changes one record. Sent twice with the same mutationId it is done once; made on another version than the stored one it is
 * refused with the stored one, never laid over it.
 */
export async function writeRecord(db: Database, author: Author, kind: RecordKind, id: string, write: RecordWrite): Promise<{ record: StoredRecord; created: boolean }> {
  const body = must(BODY_SCHEMAS[kind] as Schema, write.body);
  try {
    return await db.sequelize.transaction(async (transaction) => {
      const done = await db.EntryChange.findOne({ where: { mutationId: write.mutationId }, transaction });
      const entry = await db.Entry.findByPk(id, { transaction, lock: transaction.LOCK.UPDATE });
      if (entry && (entry.productionId !== author.productionId || entry.kind !== kind)) throw new ApiProblem('NOT_FOUND', 'There is no such record.');
      if (done) {
        if (done.recordId !== id || !entry) throw new ApiProblem('INVALID', 'This change was already used for another record.');
        return { record: toRecord(entry), created: false };
      }
      if ((entry?.version ?? 0) !== write.baseVersion) {
        throw new ApiProblem('STALE', `The record is at version ${entry?.version ?? 0}; the change was made on ${write.baseVersion}. Both are kept: choose which one holds.`, {
          current: entry ? toRecord(entry) : null,
        });
      }
      await mustReferToOwn(db, author.productionId, kind, body as unknown as Record<string, unknown>, transaction);
      const now = new Date();
      const before = entry ? { deleted: entry.deleted, body: entry.body } : null;
      const version = write.baseVersion + 1;
      const saved = entry
        ? await entry.update({ body, deleted: write.deleted, version, updatedAt: now, updatedBy: author.name }, { transaction })
        : await db.Entry.create({ id, productionId: author.productionId, kind, version, deleted: write.deleted, body, updatedAt: now, updatedBy: author.name }, { transaction });
      await db.EntryChange.create(
        { recordId: id, mutationId: write.mutationId, version, userId: author.userId, userName: author.name, changedAt: now, before, after: { deleted: write.deleted, body } },
        { transaction },
      );
      return { record: toRecord(saved), created: !entry };
    });
  } catch (error) {
    // two copies of one change in flight: the second finds the first's row
    if (error instanceof UniqueConstraintError) {
      const entry = await db.Entry.findOne({ where: { id, productionId: author.productionId } });
      const done = await db.EntryChange.findOne({ where: { mutationId: write.mutationId, recordId: id } });
      if (entry && done) return { record: toRecord(entry), created: false };
      throw new ApiProblem('STALE', 'The record was changed at the same moment. Send the change again.', { current: entry ? toRecord(entry) : null });
    }
    throw error;
  }
}

/** Which fields of a kind name other records, and of which kind those must be. */
const REFERENCES: Partial<Record<RecordKind, Record<string, RecordKind>>> = {
  package: { bodyId: 'body', lensId: 'lens', adapterId: 'adapter', secondAdapterId: 'adapter' },
  plate: { lensId: 'lens', packageId: 'package' },
  edges: { lensId: 'lens', packageId: 'package' },
  recce: { setupId: 'setup' },
  setup: { dayId: 'day', setId: 'set' },
  plan: { setupId: 'setup', packageId: 'package' },
  take: { setupId: 'setup', packageId: 'package' },
  tie: { setId: 'set' },
  fact: { setId: 'set' },
};

async function mustReferToOwn(db: Database, productionId: string, kind: RecordKind, body: Record<string, unknown>, transaction: import('sequelize').Transaction): Promise<void> {
  for (const [field, target] of Object.entries(REFERENCES[kind] ?? {})) {
    const id = body[field];
    if (typeof id !== 'string') continue;
    const found = await db.Entry.count({ where: { id, productionId, kind: target }, transaction });
    if (found === 0) throw new ApiProblem('INVALID', `${field}: there is no such ${target}`, { fields: [{ field, message: `there is no such ${target}` }] });
  }
}
