import type { ProductionBody, Role } from '@mesure/contract';
import { randomUUID } from 'node:crypto';
import type { Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';
import { writeRecord } from '../records/service';
import type { User } from './model';
import { personName, userNamed } from './sessions';
import { FORMER } from './forget';

/** A person with a name that nobody here has. */
export async function makePerson(db: Database, name: string, passwordHash: string, transaction?: Transaction): Promise<User> {
  const known = personName(name);
  if (known.toLowerCase() === FORMER || (await userNamed(db, known, transaction))) {
    const message = 'is taken here; add a family name or an initial';
    throw new ApiProblem('INVALID', `The name ${known} ${message}.`, { fields: [{ field: 'name', message }] });
  }
  return db.User.create({ id: randomUUID(), name: known, passwordHash }, { transaction });
}

/** A production with its first person as owner; what holds for it is a record like any other. */
export async function makeProduction(db: Database, owner: Pick<User, 'id' | 'name'>, body: ProductionBody, transaction?: Transaction): Promise<string> {
  const id = randomUUID();
  await db.Production.create({ id, name: body.name }, { transaction });
  await db.Membership.create({ userId: owner.id, productionId: id, role: 'owner' satisfies Role }, { transaction });
  await writeRecord(db, { userId: owner.id, name: owner.name, productionId: id }, 'production', randomUUID(), { mutationId: randomUUID(), baseVersion: 0, deleted: false, body }, transaction);
  return id;
}

/** Nobody has ever begun here. */
export const isEmpty = async (db: Database): Promise<boolean> => (await db.User.count()) === 0;
