import type { RecordBodies, RecordKind, StoredRecord } from '@mesure/contract';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes, type Sequelize } from 'sequelize';

/** Everything that a person enters, under its production and id. Its shape by kind is the contract's; here it is kept, versioned and never lost. */
export class Entry extends Model<InferAttributes<Entry>, InferCreationAttributes<Entry>> {
  declare id: string;
  declare productionId: string;
  declare kind: RecordKind;
  declare version: number;
  declare deleted: boolean;
  declare body: RecordBodies[RecordKind];
  declare updatedAt: Date;
  declare updatedBy: string;
}

/** One change of one entry: who, when, before, after. Written in the same transaction as the entry. */
export class EntryChange extends Model<InferAttributes<EntryChange>, InferCreationAttributes<EntryChange>> {
  declare id: CreationOptional<string>;
  declare productionId: string;
  declare recordId: string;
  declare mutationId: string;
  declare version: number;
  declare userId: string;
  declare userName: string;
  declare changedAt: Date;
  declare before: { deleted: boolean; body: unknown } | null;
  declare after: { deleted: boolean; body: unknown };
  /** what the device had, where the change was merged; else it is `after` */
  declare sent: { deleted: boolean; body: unknown } | null;
}

export function defineRecords(sequelize: Sequelize) {
  const { UUID, TEXT, INTEGER, BOOLEAN, JSONB, DATE, BIGINT } = DataTypes;
  const common = { sequelize, underscored: true, timestamps: false };
  const entries = class extends Entry {};
  const changes = class extends EntryChange {};
  entries.init(
    { id: { type: UUID, primaryKey: true }, productionId: { type: UUID, primaryKey: true }, kind: TEXT, version: INTEGER, deleted: BOOLEAN, body: JSONB, updatedAt: DATE, updatedBy: TEXT },
    { ...common, tableName: 'records' },
  );
  changes.init(
    {
      id: { type: BIGINT, primaryKey: true, autoIncrement: true },
      productionId: UUID,
      recordId: UUID,
      mutationId: UUID,
      version: INTEGER,
      userId: UUID,
      userName: TEXT,
      changedAt: DATE,
      before: JSONB,
      after: JSONB,
      sent: JSONB,
    },
    { ...common, tableName: 'record_changes' },
  );
  return { Entry: entries, EntryChange: changes };
}

export const toRecord = (e: Entry): StoredRecord => ({ id: e.id, kind: e.kind, version: e.version, deleted: e.deleted, body: e.body, updatedAt: e.updatedAt.toISOString(), updatedBy: e.updatedBy });
