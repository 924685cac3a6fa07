import type { MigrationContext as Context } from '../migrate';

/** When a production is removed for good, and who asked for it; null while it stays. */
export async function up({ query, types }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    await query.addColumn('productions', 'ends_at', { type: types.DATE, allowNull: true }, { transaction } as object);
    await query.addColumn('productions', 'ends_by', { type: types.TEXT, allowNull: true }, { transaction } as object);
  });
}

export async function down({ query }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    await query.removeColumn('productions', 'ends_by', { transaction } as object);
    await query.removeColumn('productions', 'ends_at', { transaction } as object);
  });
}
