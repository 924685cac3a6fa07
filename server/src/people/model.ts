import type { LinkPurpose, Role } from '@mesure/contract';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes, type Sequelize } from 'sequelize';

export class User extends Model<InferAttributes<User>, InferCreationAttributes<User>> {
  declare id: string;
  declare name: string;
  declare passwordHash: string;
}
export class Production extends Model<InferAttributes<Production>, InferCreationAttributes<Production>> {
  declare id: string;
  declare name: string;
  declare demo: CreationOptional<boolean>;
  /** when it is removed for good, and who asked for it */
  declare endsAt: CreationOptional<Date | null>;
  declare endsBy: CreationOptional<string | null>;
}
export class Membership extends Model<InferAttributes<Membership>, InferCreationAttributes<Membership>> {
  declare userId: string;
  declare productionId: string;
  declare role: Role;
}
export class Session extends Model<InferAttributes<Session>, InferCreationAttributes<Session>> {
  /** only the hash is kept: a copy of the table signs nobody in */
  declare tokenSha256: string;
  /** what a list of devices calls it by */
  declare id: CreationOptional<string>;
  declare userId: string;
  /** the one looked at last: where the next sign-in begins */
  declare productionId: string;
  declare csrfToken: string;
  declare expiresAt: Date;
  declare createdAt: CreationOptional<Date>;
  declare seenAt: CreationOptional<Date>;
  declare device: CreationOptional<string>;
  /** what the device still had to send when it was here last */
  declare waiting: CreationOptional<number>;
}
/** A link that is good once and for a time: to begin an installation, to join a production, to set a new password. */
export class Link extends Model<InferAttributes<Link>, InferCreationAttributes<Link>> {
  declare id: CreationOptional<string>;
  declare tokenSha256: string;
  declare what: LinkPurpose;
  declare productionId: CreationOptional<string | null>;
  declare userId: CreationOptional<string | null>;
  declare role: CreationOptional<Role | null>;
  declare madeBy: string;
  declare createdAt: CreationOptional<Date>;
  declare expiresAt: Date;
  declare usedAt: CreationOptional<Date | null>;
}
/** One row: which database this is. A restore makes it another one. */
export class Installation extends Model<InferAttributes<Installation>, InferCreationAttributes<Installation>> {
  declare id: number;
  declare epoch: CreationOptional<string>;
  declare lastBackupAt: CreationOptional<Date | null>;
  declare clockMovedAt: CreationOptional<Date | null>;
}

/** Classes of this connection's own: two databases in one process do not meet. */
export function definePeople(sequelize: Sequelize) {
  const { UUID, TEXT, DATE, BOOLEAN, INTEGER, UUIDV4, NOW } = DataTypes;
  const common = { sequelize, underscored: true, timestamps: false };
  const users = class extends User {};
  const productions = class extends Production {};
  const memberships = class extends Membership {};
  const sessions = class extends Session {};
  const links = class extends Link {};
  const installations = class extends Installation {};
  // one object each: Sequelize writes the column's name into it, and two fields that share one are one column
  const date = () => ({ type: DATE, defaultValue: NOW });
  users.init({ id: { type: UUID, primaryKey: true }, name: TEXT, passwordHash: TEXT }, { ...common, tableName: 'users' });
  productions.init({ id: { type: UUID, primaryKey: true }, name: TEXT, demo: { type: BOOLEAN, defaultValue: false }, endsAt: DATE, endsBy: TEXT }, { ...common, tableName: 'productions' });
  memberships.init({ userId: { type: UUID, primaryKey: true }, productionId: { type: UUID, primaryKey: true }, role: TEXT }, { ...common, tableName: 'memberships' });
  sessions.init(
    {
      tokenSha256: { type: TEXT, primaryKey: true },
      id: { type: UUID, defaultValue: UUIDV4 },
      userId: UUID,
      productionId: UUID,
      csrfToken: TEXT,
      expiresAt: DATE,
      createdAt: date(),
      seenAt: date(),
      device: { type: TEXT, defaultValue: '' },
      waiting: { type: INTEGER, defaultValue: 0 },
    },
    { ...common, tableName: 'sessions' },
  );
  links.init(
    {
      id: { type: UUID, primaryKey: true, defaultValue: UUIDV4 },
      tokenSha256: TEXT,
      what: TEXT,
      productionId: UUID,
      userId: UUID,
      role: TEXT,
      madeBy: TEXT,
      createdAt: date(),
      expiresAt: DATE,
      usedAt: DATE,
    },
    { ...common, tableName: 'links' },
  );
  installations.init({ id: { type: INTEGER, primaryKey: true }, epoch: { type: UUID, defaultValue: UUIDV4 }, lastBackupAt: DATE, clockMovedAt: DATE }, { ...common, tableName: 'installation' });
  return { User: users, Production: productions, Membership: memberships, Session: sessions, Link: links, Installation: installations };
}
