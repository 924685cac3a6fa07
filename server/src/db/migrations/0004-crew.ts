import type { MigrationContext as Context } from '../migrate';

/**
 * A crew of one's own: links by which a person begins, joins or gets a new password; devices of a person; a production that is a demo; and
 * the installation's epoch, which tells a phone that another database stands behind the address (after a restore).
 */
export async function up({ query, types }: Context): Promise<void> {
  const { UUID, TEXT, DATE, BOOLEAN, INTEGER } = types;
  const now = { type: DATE, allowNull: false, defaultValue: query.sequelize.fn('now') };
  const own = { type: UUID, allowNull: false, defaultValue: query.sequelize.fn('gen_random_uuid') };
  const ref = (table: string) => ({ type: UUID, allowNull: true, references: { model: table, key: 'id' }, onDelete: 'CASCADE' });
  await query.sequelize.transaction(async (transaction) => {
    const t = { transaction };
    await query.addColumn('sessions', 'id', { ...own, unique: true }, t);
    await query.addColumn('sessions', 'seen_at', now, t);
    await query.addColumn('sessions', 'device', { type: TEXT, allowNull: false, defaultValue: '' }, t);
    await query.addColumn('productions', 'demo', { type: BOOLEAN, allowNull: false, defaultValue: false }, t);
    await query.createTable(
      'links',
      {
        id: { ...own, primaryKey: true },
        token_sha256: { type: TEXT, allowNull: false, unique: true },
        what: { type: TEXT, allowNull: false },
        production_id: ref('productions'),
        user_id: ref('users'),
        role: { type: TEXT, allowNull: true },
        made_by: { type: TEXT, allowNull: false },
        created_at: now,
        expires_at: { type: DATE, allowNull: false },
        used_at: { type: DATE, allowNull: true },
      },
      t,
    );
    await query.createTable('installation', { id: { type: INTEGER, primaryKey: true }, epoch: own, created_at: now }, t);
    await query.sequelize.query('insert into installation (id) values (1)', t);
  });
}

export async function down({ query }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    const t = { transaction };
    await query.dropTable('installation', t as object);
    await query.dropTable('links', t as object);
    await query.removeColumn('productions', 'demo', t);
    for (const column of ['device', 'seen_at', 'id']) await query.removeColumn('sessions', column, t);
  });
}
