import type { Analysis, AnalysisKind, AnalysisStatus } from '@mesure/contract';
import { DataTypes, literal, Model, Op, type CreationOptional, type InferAttributes, type InferCreationAttributes, type Sequelize } from 'sequelize';
import type { Database } from '../db/connect';
import { briefOf } from './briefs';
import type { ComputeInput } from './compute-types';

/** A computation asked for, and what came of it. The queue only carries its id; everything else is here and survives a restart. */
export class AnalysisRow extends Model<InferAttributes<AnalysisRow>, InferCreationAttributes<AnalysisRow>> {
  declare id: string;
  declare productionId: string;
  declare kind: AnalysisKind;
  declare subjectId: string;
  declare status: AnalysisStatus;
  declare progress: CreationOptional<number>;
  declare stage: CreationOptional<string>;
  declare stopRequested: CreationOptional<boolean>;
  declare input: ComputeInput;
  declare outcome: Analysis['outcome'];
  /** of the outcome what lists show; written with it */
  declare brief: CreationOptional<Analysis['outcome']>;
  declare error: string | null;
  declare createdAt: CreationOptional<Date>;
  declare finishedAt: Date | null;
  /** last sign of life of the worker that runs it */
  declare heartbeatAt: CreationOptional<Date | null>;
  /** how many workers have begun it */
  declare attempts: CreationOptional<number>;
  declare askedBy: CreationOptional<string | null>;
  /** the greater, the sooner; of equals the older */
  declare priority: CreationOptional<number>;
}

export function defineAnalyses(sequelize: Sequelize) {
  const { UUID, TEXT, REAL, BOOLEAN, JSONB, DATE } = DataTypes;
  const analyses = class extends AnalysisRow {};
  analyses.init(
    {
      id: { type: UUID, primaryKey: true },
      productionId: UUID,
      kind: TEXT,
      subjectId: UUID,
      status: TEXT,
      progress: { type: REAL, defaultValue: 0 },
      stage: { type: TEXT, defaultValue: '' },
      stopRequested: { type: BOOLEAN, defaultValue: false },
      input: JSONB,
      outcome: JSONB,
      brief: JSONB,
      error: TEXT,
      createdAt: { type: DATE, defaultValue: DataTypes.NOW },
      finishedAt: DATE,
      heartbeatAt: DATE,
      attempts: { type: DataTypes.INTEGER, defaultValue: 0 },
      askedBy: UUID,
      priority: { type: DataTypes.INTEGER, defaultValue: 0 },
    },
    { sequelize, underscored: true, timestamps: false, tableName: 'analyses' },
  );
  analyses.addHook('beforeSave', (row) => {
    const r = row as AnalysisRow;
    if (r.changed('outcome')) r.brief = briefOf(r.outcome);
  });
  return { AnalysisRow: analyses };
}

/** Of a row that was read without its outcome: as lists show it. */
export const toAnalysis = (a: AnalysisRow): Analysis => ({
  id: a.id,
  kind: a.kind,
  subjectId: a.subjectId,
  status: a.status,
  progress: a.progress,
  stage: a.stage,
  error: a.error,
  outcome: a.outcome === undefined ? a.brief : a.outcome,
  createdAt: a.createdAt.toISOString(),
  finishedAt: a.finishedAt?.toISOString() ?? null,
});

/**
 * The newest of each subject and kind, with what lists show of it: neither its input nor its whole outcome is read. One that was stopped changed
 * nothing: what was known before it stands.
 */
export async function newestOf(db: Pick<Database, 'AnalysisRow' | 'sequelize'>, productionId: string): Promise<AnalysisRow[]> {
  const newest = literal(
    `"analyses"."id" in (select distinct on (subject_id, kind) id from analyses where production_id = ${db.sequelize.escape(productionId)} order by subject_id, kind, status = 'stopped', created_at desc)`,
  );
  return db.AnalysisRow.findAll({ attributes: { exclude: ['input', 'outcome'] }, where: { [Op.and]: [{ productionId }, newest] }, order: [['createdAt', 'DESC']] });
}
