import type { MigrationContext as Context } from '../migrate';

/** What web processes knew each for itself, and many machines must know together: uploads under way, who goes on with one, attempts by address, and where the one clock stood. */
export async function up({ query, types }: Context): Promise<void> {
  const { DATE, TEXT, BIGINT, UUID, INTEGER, BOOLEAN } = types;
  const now = query.sequelize.fn('now');
  await query.sequelize.transaction(async (transaction) => {
    await query.createTable(
      'begun_uploads',
      {
        id: { type: TEXT, primaryKey: true },
        production_id: { type: UUID, allowNull: false, references: { model: 'productions', key: 'id' }, onDelete: 'CASCADE' },
        user_id: { type: UUID, allowNull: false },
        size_bytes: { type: BIGINT, allowNull: false },
        touched_at: { type: DATE, allowNull: false, defaultValue: now },
      },
      { transaction },
    );
    await query.addIndex('begun_uploads', ['production_id'], { transaction } as object);
    await query.createTable(
      'upload_locks',
      { id: { type: TEXT, primaryKey: true }, holder: { type: UUID, allowNull: false }, until: { type: DATE, allowNull: false }, wanted: { type: BOOLEAN, allowNull: false, defaultValue: false } },
      { transaction },
    );
    for (const column of ['clock_seen_at', 'clock_moved_at']) await query.addColumn('installation', column, { type: DATE, allowNull: true }, { transaction } as object);
    await query.createTable('attempts', { key: { type: TEXT, primaryKey: true }, hits: { type: INTEGER, allowNull: false }, until: { type: DATE, allowNull: false } }, { transaction });
  });
}

export async function down({ query }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    for (const column of ['clock_seen_at', 'clock_moved_at']) await query.removeColumn('installation', column, { transaction } as object);
    for (const table of ['attempts', 'upload_locks', 'begun_uploads']) await query.dropTable(table, { transaction } as object);
  });
}
