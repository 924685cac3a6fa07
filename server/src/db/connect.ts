import { Sequelize } from 'sequelize';
import { defineAnalyses } from '../jobs/model';
import { defineFiles } from '../files/model';
import { definePeople } from '../people/model';
import { defineRecords } from '../records/model';

export interface Database extends ReturnType<typeof definePeople>, ReturnType<typeof defineRecords>, ReturnType<typeof defineFiles>, ReturnType<typeof defineAnalyses> {
  sequelize: Sequelize;
}

/** Who gets no connection within this is told to come again; a phone keeps what it has. */
const LONGEST_TURN_MS = 20_000;

export function connect(databaseUrl: string, logging: false | ((sql: string) => void) = false): Database {
  const sequelize = new Sequelize(databaseUrl, { dialect: 'postgres', logging, pool: { max: 10, idle: 10_000, acquire: LONGEST_TURN_MS } });
  return { sequelize, ...definePeople(sequelize), ...defineRecords(sequelize), ...defineFiles(sequelize), ...defineAnalyses(sequelize) };
}
