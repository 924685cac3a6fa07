import type { MigrationContext as Context } from '../migrate';

/** What a list shows of a computation, beside the whole outcome: lists read megabytes of corners and paths before. */
export async function up({ query, types }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    await query.addColumn('analyses', 'brief', { type: types.JSONB, allowNull: true }, { transaction });
    await query.sequelize.query(
      `update analyses set brief = case outcome->>'kind'
         when 'grid' then jsonb_set(outcome, '{corners}', '[]')
         when 'solve' then jsonb_set(jsonb_set(outcome, '{solve,frames}', '[]'), '{solve,points}', '[]')
         else outcome end
       where outcome is not null`,
      { transaction },
    );
    await query.addIndex('analyses', ['production_id', 'subject_id', 'kind', 'created_at'], { name: 'analyses_newest', transaction });
  });
}

export async function down({ query }: Context): Promise<void> {
  await query.removeIndex('analyses', 'analyses_newest');
  await query.removeColumn('analyses', 'brief');
}
