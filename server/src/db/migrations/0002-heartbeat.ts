import type { MigrationContext as Context } from '../migrate';

/** A running analysis shows that its worker lives, so that another one may take over from a worker that was killed; a few times, not for ever. */
export async function up({ query, types }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    await query.addColumn('analyses', 'heartbeat_at', { type: types.DATE, allowNull: true }, { transaction });
    await query.addColumn('analyses', 'attempts', { type: types.INTEGER, allowNull: false, defaultValue: 0 }, { transaction });
  });
}

export async function down({ query }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    for (const column of ['attempts', 'heartbeat_at']) await query.removeColumn('analyses', column, { transaction });
  });
}
