import { Sequelize } from 'sequelize';
import { defineAnalyses } from '../jobs/model';
import { defineFiles } from '../files/model';
import { definePeople } from '../people/model';
import { defineRecords } from '../records/model';

export interface Database extends ReturnType<typeof definePeople>, ReturnType<typeof defineRecords>, ReturnType<typeof defineFiles>, ReturnType<typeof defineAnalyses> {
  sequelize: Sequelize;
}

export function connect(databaseUrl: string, logging: false | ((sql: string) => void) = false): Database {
  const sequelize = new Sequelize(databaseUrl, { dialect: 'postgres', logging, pool: { max: 10, idle: 10_000 } });
  return { sequelize, ...definePeople(sequelize), ...defineRecords(sequelize), ...defineFiles(sequelize), ...defineAnalyses(sequelize) };
}
