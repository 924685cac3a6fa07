import type { MigrationContext as Context } from '../migrate';

/** Who asked for a computation, and how soon its turn is: in a line by time alone one person's hundred stood before everybody's one. */
export async function up({ query, types }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    await query.addColumn('analyses', 'asked_by', { type: types.UUID, allowNull: true }, { transaction });
    await query.addColumn('analyses', 'priority', { type: types.INTEGER, allowNull: false, defaultValue: 0 }, { transaction });
    await query.sequelize.query("create index analyses_open on analyses (status, priority, created_at) where status in ('queued', 'running')", { transaction });
  });
}

export async function down({ query }: Context): Promise<void> {
  await query.removeIndex('analyses', 'analyses_open');
  await query.removeColumn('analyses', 'priority');
  await query.removeColumn('analyses', 'asked_by');
}
