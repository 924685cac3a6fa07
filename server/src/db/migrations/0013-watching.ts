import type { MigrationContext as Context } from '../migrate';

/** What an owner wants to know of the machine: when it was last backed up, and what failed on it. */
export async function up({ query, types }: Context): Promise<void> {
  const { DATE, TEXT, BIGINT } = types;
  await query.sequelize.transaction(async (transaction) => {
    await query.addColumn('installation', 'last_backup_at', { type: DATE, allowNull: true }, { transaction } as object);
    await query.createTable(
      'faults',
      {
        id: { type: BIGINT, primaryKey: true, autoIncrement: true },
        at: { type: DATE, allowNull: false, defaultValue: query.sequelize.fn('now') },
        what: { type: TEXT, allowNull: false },
        request_id: { type: TEXT, allowNull: false },
      },
      { transaction },
    );
  });
}

export async function down({ query }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    await query.dropTable('faults', { transaction } as object);
    await query.removeColumn('installation', 'last_backup_at', { transaction } as object);
  });
}
