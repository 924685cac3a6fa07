import type { MigrationContext as Context } from '../migrate';

/**
 * The log of changes becomes what other devices read: all changes of a production after a cursor. Its numbers follow the order in which
 * changes are committed, which the writer's lock per production sees to; a reader that has seen number n has seen all below it.
 */
export async function up({ query, types }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    await query.addColumn('record_changes', 'production_id', { type: types.UUID, allowNull: true, references: { model: 'productions', key: 'id' }, onDelete: 'CASCADE' }, { transaction });
    await query.sequelize.query('update record_changes c set production_id = r.production_id from records r where r.id = c.record_id', { transaction });
    await query.changeColumn('record_changes', 'production_id', { type: types.UUID, allowNull: false }, { transaction });
    await query.addIndex('record_changes', ['production_id', 'id'], { transaction });
    // of a change that was merged: what its device had, which the next change of that device was made on
    await query.addColumn('record_changes', 'sent', { type: types.JSONB, allowNull: true }, { transaction });
  });
}

export async function down({ query }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    await query.removeColumn('record_changes', 'sent', { transaction });
    await query.removeIndex('record_changes', ['production_id', 'id'], { transaction });
    await query.removeColumn('record_changes', 'production_id', { transaction });
  });
}
