import type { MigrationContext as Context } from '../migrate';

/** Wrong passwords of a name from an address, counted for all web processes together: from when on the next one is looked at. */
export async function up({ query, types }: Context): Promise<void> {
  const { TEXT, DATE, INTEGER } = types;
  await query.createTable('sign_in_waits', {
    key: { type: TEXT, primaryKey: true },
    wrong: { type: INTEGER, allowNull: false },
    next_at: { type: DATE, allowNull: false },
  });
}

export async function down({ query }: Context): Promise<void> {
  await query.dropTable('sign_in_waits');
}
