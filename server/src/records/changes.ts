import type { RecordBatch } from '@mesure/contract';
import { QueryTypes } from 'sequelize';
import type { Database } from '../db/connect';
import { toRecord } from './model';

/**
 * Records of a production that changed after a cursor; all of them when there is none, or when it is of another database or another epoch
 * of this one (a restore). The cursor is
 * read first: what is committed between the two reads comes once more with the next batch, never not at all.
 */
export async function changesAfter(db: Database, productionId: string, after: number | null, epochKnown: string | null = null): Promise<RecordBatch> {
  const { epoch } = (await db.Installation.findByPk(1))!;
  const [row] = await db.sequelize.query<{ last: string | null }>('select max(id) as last from record_changes where production_id = :productionId', {
    replacements: { productionId },
    type: QueryTypes.SELECT,
  });
  const cursor = Number(row.last ?? 0);
  if (after === null || after > cursor || (epochKnown !== null && epochKnown !== epoch)) {
    const all = await db.Entry.findAll({ where: { productionId }, order: [['id', 'ASC']] });
    return { records: all.map(toRecord), cursor, whole: true, epoch };
  }
  if (after === cursor) return { records: [], cursor, whole: false, epoch };
  const changed = await db.sequelize.query<{ record_id: string }>('select distinct record_id from record_changes where production_id = :productionId and id > :after', {
    replacements: { productionId, after },
    type: QueryTypes.SELECT,
  });
  const records = await db.Entry.findAll({ where: { productionId, id: changed.map((c) => c.record_id) }, order: [['id', 'ASC']] });
  return { records: records.map(toRecord), cursor, whole: false, epoch };
}
