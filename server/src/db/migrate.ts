import { DataTypes, type QueryInterface, type Sequelize } from 'sequelize';
import { SequelizeStorage, Umzug } from 'umzug';
import * as first from './migrations/0001-first';
import * as heartbeat from './migrations/0002-heartbeat';
import * as changeLog from './migrations/0003-change-log';
import * as crew from './migrations/0004-crew';
import * as briefs from './migrations/0005-briefs';
import * as turns from './migrations/0006-turns';
import * as slowDown from './migrations/0007-slow-down';
import * as waiting from './migrations/0008-waiting';
import * as ending from './migrations/0009-ending';
import * as secondStep from './migrations/0010-second-step';
import * as recordKeys from './migrations/0011-record-keys';
import * as lastSeen from './migrations/0012-last-seen';
import * as watching from './migrations/0013-watching';
import * as manyMachines from './migrations/0014-many-machines';

export interface MigrationContext {
  query: QueryInterface;
  types: typeof DataTypes;
}
export interface Migration {
  up(context: MigrationContext): Promise<void>;
  down(context: MigrationContext): Promise<void>;
}

export const MIGRATIONS: readonly [string, Migration][] = [
  ['0001-first', first],
  ['0002-heartbeat', heartbeat],
  ['0003-change-log', changeLog],
  ['0004-crew', crew],
  ['0005-briefs', briefs],
  ['0006-turns', turns],
  ['0007-slow-down', slowDown],
  ['0008-waiting', waiting],
  ['0009-ending', ending],
  ['0010-second-step', secondStep],
  ['0011-record-keys', recordKeys],
  ['0012-last-seen', lastSeen],
  ['0013-watching', watching],
  ['0014-many-machines', manyMachines],
];

function runner(sequelize: Sequelize) {
  return new Umzug({
    migrations: MIGRATIONS.map(([name, m]) => ({ name, up: ({ context }: { context: MigrationContext }) => m.up(context), down: ({ context }: { context: MigrationContext }) => m.down(context) })),
    context: { query: sequelize.getQueryInterface(), types: DataTypes },
    storage: new SequelizeStorage({ sequelize, tableName: 'migrations' }),
    logger: undefined,
  });
}

/** Applies what is missing (`to`: up to and with this one), one process at a time: others wait for the advisory lock. */
export async function migrate(sequelize: Sequelize, to?: string): Promise<string[]> {
  const lock = 7_215_001;
  const connection = await sequelize.connectionManager.getConnection({ type: 'write' });
  const pg = connection as unknown as { query(sql: string): Promise<unknown> };
  try {
    await pg.query(`select pg_advisory_lock(${lock})`);
    return (await runner(sequelize).up(to ? { to } : undefined)).map((m) => m.name);
  } finally {
    await pg.query(`select pg_advisory_unlock(${lock})`);
    sequelize.connectionManager.releaseConnection(connection);
  }
}

/** Takes back the last `count` migrations. */
export async function migrateDown(sequelize: Sequelize, count = 1): Promise<string[]> {
  return (await runner(sequelize).down({ step: count })).map((m) => m.name);
}

/** A process that may not migrate refuses to start on another schema. */
export async function checkSchema(sequelize: Sequelize): Promise<void> {
  const pending = await runner(sequelize).pending();
  if (pending.length > 0) throw new Error(`The database lacks the migrations ${pending.map((p) => p.name).join(', ')}: run the migration first`);
}

/** Name of the newest migration that the database has. */
export async function schemaVersion(sequelize: Sequelize): Promise<string> {
  const done = await runner(sequelize).executed();
  return done[done.length - 1]?.name ?? 'none';
}
