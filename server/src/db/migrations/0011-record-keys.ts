import type { MigrationContext as Context } from '../migrate';

/**
 * A record, and a change of one, is told from others by its production and its id together: an id that somebody uses in a film of his own
 * takes nothing from the film in which it was meant, and what a person prefers stands under his id in each of his films.
 */
export async function up({ query }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    const run = (sql: string) => query.sequelize.query(sql, { transaction });
    await run('alter table record_changes drop constraint record_changes_record_id_fkey');
    await run('alter table analyses drop constraint analyses_subject_id_fkey');
    await run('alter table records drop constraint records_pkey');
    await run('alter table records add primary key (production_id, id)');
    await run('alter table analyses add constraint analyses_subject_fkey foreign key (production_id, subject_id) references records (production_id, id) on delete cascade');
    await run('alter table record_changes add constraint record_changes_record_fkey foreign key (production_id, record_id) references records (production_id, id) on delete cascade');
    await run('alter table record_changes drop constraint record_changes_mutation_id_key');
    await run('alter table record_changes add constraint record_changes_mutation_key unique (production_id, mutation_id)');
    await run('drop index record_changes_record_id_version');
    await run('create index record_changes_record_version on record_changes (production_id, record_id, version)');
  });
}

/** Fails, and leaves all as it is, where two productions use one id. */
export async function down({ query }: Context): Promise<void> {
  await query.sequelize.transaction(async (transaction) => {
    const run = (sql: string) => query.sequelize.query(sql, { transaction });
    await run('drop index record_changes_record_version');
    await run('create index record_changes_record_id_version on record_changes (record_id, version)');
    await run('alter table record_changes drop constraint record_changes_mutation_key');
    await run('alter table record_changes add constraint record_changes_mutation_id_key unique (mutation_id)');
    await run('alter table record_changes drop constraint record_changes_record_fkey');
    await run('alter table analyses drop constraint analyses_subject_fkey');
    await run('alter table records drop constraint records_pkey');
    await run('alter table records add primary key (id)');
    await run('alter table analyses add constraint analyses_subject_id_fkey foreign key (subject_id) references records (id) on delete cascade');
    await run('alter table record_changes add constraint record_changes_record_id_fkey foreign key (record_id) references records (id) on delete cascade');
  });
}
