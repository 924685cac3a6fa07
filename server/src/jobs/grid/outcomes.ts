import type { GridOutcome, RecordBodies, StoredRecord } from '@mesure/contract';
import type { Database } from '../../db/connect';

/** The newest finished analysis of each plate. */
export async function gridOutcomes(
  db: Database,
  productionId: string,
  plates: readonly StoredRecord<'plate'>[],
): Promise<{ id: string; plate: RecordBodies['plate']; report: GridOutcome['report'] }[]> {
  const rows = await db.AnalysisRow.findAll({
    attributes: ['subjectId', 'brief'],
    where: { productionId, kind: 'grid', status: 'done', subjectId: plates.map((p) => p.id) },
    order: [['createdAt', 'DESC']],
  });
  return plates.flatMap((p) => {
    const row = rows.find((r) => r.subjectId === p.id);
    return row?.brief?.kind === 'grid' ? [{ id: p.id, plate: p.body, report: row.brief.report }] : [];
  });
}
