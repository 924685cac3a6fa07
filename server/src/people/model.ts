import type { Role } from '@mesure/contract';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes, type Sequelize } from 'sequelize';

export class User extends Model<InferAttributes<User>, InferCreationAttributes<User>> {
  declare id: string;
  declare name: string;
  declare passwordHash: string;
}
export class Production extends Model<InferAttributes<Production>, InferCreationAttributes<Production>> {
  declare id: string;
  declare name: string;
}
export class Membership extends Model<InferAttributes<Membership>, InferCreationAttributes<Membership>> {
  declare userId: string;
  declare productionId: string;
  declare role: Role;
}
export class Session extends Model<InferAttributes<Session>, InferCreationAttributes<Session>> {
  /** only the hash is kept: a copy of the table signs nobody in */
  declare tokenSha256: string;
  declare userId: string;
  declare productionId: string;
  declare csrfToken: string;
  declare expiresAt: Date;
  declare createdAt: CreationOptional<Date>;
}

/** Classes of this connection's own: two databases in one process do not meet. */
export function definePeople(sequelize: Sequelize) {
  const { UUID, TEXT, DATE } = DataTypes;
  const common = { sequelize, underscored: true, timestamps: false };
  const users = class extends User {};
  const productions = class extends Production {};
  const memberships = class extends Membership {};
  const sessions = class extends Session {};
  users.init({ id: { type: UUID, primaryKey: true }, name: TEXT, passwordHash: TEXT }, { ...common, tableName: 'users' });
  productions.init({ id: { type: UUID, primaryKey: true }, name: TEXT }, { ...common, tableName: 'productions' });
  memberships.init({ userId: { type: UUID, primaryKey: true }, productionId: { type: UUID, primaryKey: true }, role: TEXT }, { ...common, tableName: 'memberships' });
  sessions.init(
    { tokenSha256: { type: TEXT, primaryKey: true }, userId: UUID, productionId: UUID, csrfToken: TEXT, expiresAt: DATE, createdAt: { type: DATE, defaultValue: DataTypes.NOW } },
    { ...common, tableName: 'sessions' },
  );
  return { User: users, Production: productions, Membership: memberships, Session: sessions };
}
