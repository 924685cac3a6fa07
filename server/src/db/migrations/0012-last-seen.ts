import type { MigrationContext as Context } from '../migrate';

/** When a device was seen last stood in the column of when it signed in. A session lasts thirty days from its beginning, which tells that one. */
export async function up({ query }: Context): Promise<void> {
  await query.sequelize.query("update sessions set seen_at = greatest(seen_at, created_at), created_at = least(created_at, expires_at - interval '30 days')");
}

/** What was right stays so. */
export async function down(): Promise<void> {
  // nothing to take back
}
