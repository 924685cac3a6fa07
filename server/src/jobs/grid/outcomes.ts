import type { GridOutcome, RecordBodies, StoredRecord } from '@mesure/contract';
import type { Database } from '../../db/connect';
import type { AnalysisRow } from '../model';

/** A plate with what was measured in it, and the computation that did. */
export interface PlateOutcome {
  id: string;
  plate: RecordBodies['plate'];
  report: GridOutcome['report'];
  row: AnalysisRow;
}

/** The newest finished analysis of each plate. */
export async function gridOutcomes(db: Database, productionId: string, plates: readonly StoredRecord<'plate'>[]): Promise<PlateOutcome[]> {
  const rows = await db.AnalysisRow.findAll({
    attributes: ['id', 'kind', 'status', 'subjectId', 'brief', 'createdAt'],
    where: { productionId, kind: 'grid', status: 'done', subjectId: plates.map((p) => p.id) },
    order: [['createdAt', 'DESC']],
  });
  return plates.flatMap((p) => {
    const row = rows.find((r) => r.subjectId === p.id);
    return row?.brief?.kind === 'grid' ? [{ id: p.id, plate: p.body, report: row.brief.report, row }] : [];
  });
}
