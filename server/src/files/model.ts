import { DataTypes, Model, type InferAttributes, type InferCreationAttributes, type Sequelize } from 'sequelize';

/** A file that somebody of the production gave. The bytes are in the content store under the same SHA-256. */
export class StoredFile extends Model<InferAttributes<StoredFile>, InferCreationAttributes<StoredFile>> {
  declare productionId: string;
  declare sha256: string;
  declare name: string;
  declare mime: string;
  declare sizeBytes: number;
  declare widthPx: number | null;
  declare heightPx: number | null;
}

export function defineFiles(sequelize: Sequelize) {
  const { UUID, TEXT, BIGINT, INTEGER } = DataTypes;
  const files = class extends StoredFile {};
  files.init(
    {
      productionId: { type: UUID, primaryKey: true },
      sha256: { type: TEXT, primaryKey: true },
      name: TEXT,
      mime: TEXT,
      sizeBytes: BIGINT,
      widthPx: INTEGER,
      heightPx: INTEGER,
    },
    { sequelize, underscored: true, timestamps: false, tableName: 'files' },
  );
  return { StoredFile: files };
}
