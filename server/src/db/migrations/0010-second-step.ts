import type { MigrationContext as Context } from '../migrate';

/** Who signs in with a code of an authenticator as well as the password: its secret, the last code taken, and the recovery codes' hashes. */
export async function up({ query, types }: Context): Promise<void> {
  const { UUID, TEXT, DATE, BIGINT, JSONB } = types;
  await query.createTable('second_steps', {
    user_id: { type: UUID, primaryKey: true, references: { model: 'users', key: 'id' }, onDelete: 'CASCADE' },
    secret: { type: TEXT, allowNull: false },
    confirmed_at: { type: DATE, allowNull: true },
    last_period: { type: BIGINT, allowNull: true },
    recovery: { type: JSONB, allowNull: false, defaultValue: [] },
  });
}

export async function down({ query }: Context): Promise<void> {
  await query.dropTable('second_steps');
}
