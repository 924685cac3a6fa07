import { changedFields, mergeStates, type FieldClash, type RecordKind, type RecordState, type RecordWrite, type StoredRecord, type WriteAnswer } from '@mesure/contract';
import { BODY_SCHEMAS, check } from '@mesure/contract/schemas';
import type { Schema } from 'joi';
import { Op, QueryTypes, UniqueConstraintError, type Transaction } from 'sequelize';
import { databaseNow } from '../db/clock';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';
import { must } from '../http/validate';
import { toRecord, type Entry, type EntryChange } from './model';
import { mustNameOwnFiles, mustReferToOwn } from './references';
import { signNew } from './signed';

export interface Author {
  userId: string;
  name: string;
  productionId: string;
  /** whose word it was, where somebody brings in what others had recorded */
  instead?: string;
}
export const CHANGES_CHANNEL = 'mesure_changes';

/**
 * Creates or changes one record. Sent twice with the same mutationId it is done once, and answered with what it left. Made on an older
 * version than the stored one it is merged field by field; where both changed a field it is refused with both sides, never laid over.
 */
export async function writeRecord(db: Database, author: Author, kind: RecordKind, id: string, write: RecordWrite, within?: Transaction): Promise<WriteAnswer & { created: boolean }> {
  const sent: RecordState = { deleted: write.deleted, body: must(BODY_SCHEMAS[kind] as Schema, write.body) };
  try {
    return await inTransaction(db, within, async (transaction) => {
      const own = { productionId: author.productionId, id };
      const entry = await db.Entry.findOne({ where: own, transaction, lock: transaction.LOCK.UPDATE });
      if (entry && entry.kind !== kind) throw new ApiProblem('NOT_FOUND', 'There is no such record.');
      const done = await db.EntryChange.findOne({ where: { productionId: author.productionId, mutationId: write.mutationId }, transaction });
      if (done) {
        // its twin may have been committed between the two reads
        const made = entry ?? (await db.Entry.findOne({ where: own, transaction }));
        if (done.recordId !== id || !made) throw new ApiProblem('INVALID', 'This change was already used for another record.');
        return { record: asOf(made, done), merged: done.sent !== null, created: false };
      }
      const stored = entry?.version ?? 0;
      const base = await baseOf(db, author.productionId, id, entry, write, transaction);
      const merged = base !== null;
      const now = await databaseNow(db, transaction);
      const whole = merged ? await mergeInto(db, kind, entry!, base, sent, transaction) : sent;
      const state: RecordState = { ...whole, body: signNew(kind, whole.body, entry?.body ?? null, author.name, now.getTime()) };
      await mustReferToOwn(db, author.productionId, kind, state.body, transaction);
      await mustNameOwnFiles(db, author.productionId, state.body, entry?.body ?? null, transaction);
      const told = author.instead && author.instead !== author.name ? `${author.name} for ${author.instead}`.slice(0, 120) : author.name;
      const before = entry ? { deleted: entry.deleted, body: entry.body } : null;
      const version = stored + 1;
      const saved = entry
        ? await entry.update({ ...state, version, updatedAt: now, updatedBy: told }, { transaction })
        : await db.Entry.create({ id, productionId: author.productionId, kind, version, ...state, updatedAt: now, updatedBy: told }, { transaction });
      if (kind === 'production') await keepName(db, author.productionId, id, (state as RecordState<'production'>).body.name, transaction);
      await appendChange(
        db,
        {
          productionId: author.productionId,
          recordId: id,
          mutationId: write.mutationId,
          version,
          userId: author.userId,
          userName: told,
          changedAt: now,
          before,
          after: state,
          sent: merged ? sent : null,
        },
        transaction,
      );
      return { record: toRecord(saved), merged, created: !entry };
    });
  } catch (error) {
    // two copies of one change in flight: the second finds the first's row
    if (error instanceof UniqueConstraintError) {
      const entry = await db.Entry.findOne({ where: { id, productionId: author.productionId, kind } });
      const done = await db.EntryChange.findOne({ where: { productionId: author.productionId, mutationId: write.mutationId, recordId: id } });
      if (entry && done) return { record: asOf(entry, done), merged: false, created: false };
      throw new ApiProblem('STALE', 'The record was changed at the same moment. Send the change again.', { current: entry ? toRecord(entry) : null });
    }
    throw error;
  }
}

const inTransaction = <T>(db: Database, within: Transaction | undefined, work: (t: Transaction) => Promise<T>): Promise<T> => (within ? work(within) : db.sequelize.transaction(work));

/** One record says what holds for a production, and its name is the one that sessions and lists show. */
async function keepName(db: Database, productionId: string, id: string, name: string, transaction: Transaction): Promise<void> {
  const others = await db.Entry.count({ where: { productionId, kind: 'production', id: { [Op.ne]: id } }, transaction });
  if (others > 0) throw new ApiProblem('INVALID', 'This production has its record already; change that one.');
  await db.Production.update({ name }, { where: { id: productionId }, transaction });
}

/** The record as a change left it; what came later is another answer's. */
const asOf = (entry: Entry, change: EntryChange): StoredRecord => ({
  ...toRecord(entry),
  ...(change.after as RecordState),
  version: change.version,
  updatedAt: change.changedAt.toISOString(),
  updatedBy: change.userName,
});

/** What the change was made on, when that is not what is stored now; null when it is. */
async function baseOf(db: Database, productionId: string, id: string, entry: Entry | null, write: RecordWrite, transaction: Transaction): Promise<RecordState | null> {
  const where = { productionId, recordId: id, ...(write.follows ? { mutationId: write.follows } : { version: write.baseVersion }) };
  if (!write.follows && write.baseVersion === (entry?.version ?? 0)) return null;
  const made = await db.EntryChange.findOne({ where, transaction });
  if (!entry || !made) {
    throw new ApiProblem('STALE', `The record is at version ${entry?.version ?? 0}; the change was made on ${write.baseVersion}. Both are kept: choose which one holds.`, {
      current: entry ? toRecord(entry) : null,
    });
  }
  return made.version === entry.version && (!write.follows || made.sent === null) ? null : (((write.follows ? made.sent : null) ?? made.after) as RecordState);
}

/** The change made again on what is stored, when both sides changed different fields. */
async function mergeInto(db: Database, kind: RecordKind, entry: Entry, base: RecordState, mine: RecordState, transaction: Transaction): Promise<RecordState> {
  const theirs: RecordState = { deleted: entry.deleted, body: entry.body };
  const { state, clashes } = mergeStates(kind, base, mine, theirs);
  // two changes that are right by themselves may not be so together
  const together = clashes.length > 0 || check(BODY_SCHEMAS[kind] as Schema, state.body).problems === null;
  const fields = together ? clashes : changedFields(base, mine);
  if (fields.length === 0) return state;
  const changes = await db.EntryChange.findAll({ where: { productionId: entry.productionId, recordId: entry.id }, order: [['version', 'DESC']], transaction });
  const told = fields.map((field): FieldClash => {
    const by = changes.find((c) => c.before !== null && changedFields(c.before as RecordState, c.after as RecordState).includes(field)) ?? changes[0];
    return { field, who: by.userName, when: by.changedAt.toISOString() };
  });
  throw new ApiProblem('STALE', `${told[0].who} changed ${fields.join(', ')} meanwhile. Both are kept: choose which one holds.`, { current: toRecord(entry), base, clashes: told });
}

/**
 * Changes of a production are numbered in the order of their commits: the lock is held from here to the commit, a few milliseconds, so that
 * nobody who reads "all after n" can miss a lower number that comes to light later.
 */
async function appendChange(db: Database, change: Omit<EntryChange['_creationAttributes'], 'id'>, transaction: Transaction): Promise<void> {
  await db.sequelize.query('select pg_advisory_xact_lock(hashtextextended(:production, 7215002))', { replacements: { production: change.productionId }, type: QueryTypes.SELECT, transaction });
  await db.EntryChange.create(change, { transaction });
  await db.sequelize.query('select pg_notify(:channel, :production)', { replacements: { channel: CHANGES_CHANNEL, production: change.productionId }, type: QueryTypes.SELECT, transaction });
}
