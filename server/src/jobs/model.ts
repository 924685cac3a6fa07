import type { Analysis, AnalysisKind, AnalysisStatus } from '@mesure/contract';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes, type Sequelize } from 'sequelize';
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
  declare error: string | null;
  declare createdAt: CreationOptional<Date>;
  declare finishedAt: Date | null;
  /** last sign of life of the worker that runs it */
  declare heartbeatAt: CreationOptional<Date | null>;
  /** how many workers have begun it */
  declare attempts: CreationOptional<number>;
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
      error: TEXT,
      createdAt: { type: DATE, defaultValue: DataTypes.NOW },
      finishedAt: DATE,
      heartbeatAt: DATE,
      attempts: { type: DataTypes.INTEGER, defaultValue: 0 },
    },
    { sequelize, underscored: true, timestamps: false, tableName: 'analyses' },
  );
  return { AnalysisRow: analyses };
}

export const toAnalysis = (a: AnalysisRow): Analysis => ({
  id: a.id,
  kind: a.kind,
  subjectId: a.subjectId,
  status: a.status,
  progress: a.progress,
  stage: a.stage,
  error: a.error,
  outcome: a.outcome,
  createdAt: a.createdAt.toISOString(),
  finishedAt: a.finishedAt?.toISOString() ?? null,
});
