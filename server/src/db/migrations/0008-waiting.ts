import type { MigrationContext as Context } from '../migrate';

/** How much a device said it still has to send, when it was here last. */
export async function up({ query, types }: Context): Promise<void> {
  await query.addColumn('sessions', 'waiting', { type: types.INTEGER, allowNull: false, defaultValue: 0 });
}

export async function down({ query }: Context): Promise<void> {
  await query.removeColumn('sessions', 'waiting');
}
