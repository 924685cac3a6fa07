import type { MigrationContext as Context } from '../migrate';

const TABLES = ['analyses', 'files', 'record_changes', 'records', 'sessions', 'memberships', 'productions', 'users'];

export async function up({ query, types }: Context): Promise<void> {
  const { UUID, TEXT, BOOLEAN, INTEGER, BIGINT, DATE, JSONB, REAL } = types;
  const now = { type: DATE, allowNull: false, defaultValue: query.sequelize.fn('now') };
  const ref = (table: string) => ({ type: UUID, allowNull: false, references: { model: table, key: 'id' }, onDelete: 'CASCADE' });
  await query.sequelize.transaction(async (transaction) => {
    const t = { transaction };
    await query.createTable(
      'users',
      { id: { type: UUID, primaryKey: true }, name: { type: TEXT, allowNull: false, unique: true }, password_hash: { type: TEXT, allowNull: false }, created_at: now },
      t,
    );
    await query.createTable('productions', { id: { type: UUID, primaryKey: true }, name: { type: TEXT, allowNull: false }, created_at: now }, t);
    await query.createTable('memberships', { user_id: { ...ref('users'), primaryKey: true }, production_id: { ...ref('productions'), primaryKey: true }, role: { type: TEXT, allowNull: false } }, t);
    await query.createTable(
      'sessions',
      {
        token_sha256: { type: TEXT, primaryKey: true },
        user_id: ref('users'),
        production_id: ref('productions'),
        csrf_token: { type: TEXT, allowNull: false },
        created_at: now,
        expires_at: { type: DATE, allowNull: false },
      },
      t,
    );
    await query.createTable(
      'records',
      {
        id: { type: UUID, primaryKey: true },
        production_id: ref('productions'),
        kind: { type: TEXT, allowNull: false },
        version: { type: INTEGER, allowNull: false },
        deleted: { type: BOOLEAN, allowNull: false, defaultValue: false },
        body: { type: JSONB, allowNull: false },
        updated_at: now,
        updated_by: { type: TEXT, allowNull: false },
      },
      t,
    );
    await query.addIndex('records', ['production_id', 'kind'], t);
    await query.createTable(
      'record_changes',
      {
        id: { type: BIGINT, primaryKey: true, autoIncrement: true },
        record_id: ref('records'),
        mutation_id: { type: UUID, allowNull: false, unique: true },
        version: { type: INTEGER, allowNull: false },
        user_id: { type: UUID, allowNull: false },
        user_name: { type: TEXT, allowNull: false },
        changed_at: now,
        before: { type: JSONB, allowNull: true },
        after: { type: JSONB, allowNull: false },
      },
      t,
    );
    await query.addIndex('record_changes', ['record_id', 'version'], t);
    await query.createTable(
      'files',
      {
        production_id: { ...ref('productions'), primaryKey: true },
        sha256: { type: TEXT, primaryKey: true },
        name: { type: TEXT, allowNull: false },
        mime: { type: TEXT, allowNull: false },
        size_bytes: { type: BIGINT, allowNull: false },
        width_px: { type: INTEGER, allowNull: true },
        height_px: { type: INTEGER, allowNull: true },
        created_at: now,
      },
      t,
    );
    await query.createTable(
      'analyses',
      {
        id: { type: UUID, primaryKey: true },
        production_id: ref('productions'),
        kind: { type: TEXT, allowNull: false },
        subject_id: ref('records'),
        status: { type: TEXT, allowNull: false },
        progress: { type: REAL, allowNull: false, defaultValue: 0 },
        stage: { type: TEXT, allowNull: false, defaultValue: '' },
        stop_requested: { type: BOOLEAN, allowNull: false, defaultValue: false },
        input: { type: JSONB, allowNull: false },
        outcome: { type: JSONB, allowNull: true },
        error: { type: TEXT, allowNull: true },
        created_at: now,
        finished_at: { type: DATE, allowNull: true },
      },
      t,
    );
    await query.addIndex('analyses', ['production_id', 'subject_id'], t);
  });
}

export async function down({ query }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    for (const table of TABLES) await query.dropTable(table, { transaction } as object);
  });
}
