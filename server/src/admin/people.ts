import { ROLES, type Role } from '@mesure/contract';
import { QueryTypes } from 'sequelize';
import type { Database } from '../db/connect';
import { makeLink } from '../people/links';
import { isEmpty } from '../people/productions';
import { otherOwners, userNamed } from '../people/sessions';
import { dataOf, forgetPerson } from '../people/forget';
import { secondStepOf } from '../people/second-step';

export class AdminError extends Error {}
const MADE_BY = 'who keeps the server';

export const listProductions = (db: Database) =>
  db.sequelize.query<{ id: string; name: string; demo: boolean; people: number; records: number }>(
    `select p.id, p.name, p.demo, (select count(*)::int from memberships m where m.production_id = p.id) as people,
            (select count(*)::int from records r where r.production_id = p.id) as records from productions p order by p.name`,
    { type: QueryTypes.SELECT },
  );

export const listPeople = (db: Database) =>
  db.sequelize.query<{ name: string; production: string; role: string; seen: string | null }>(
    `select u.name, p.name as production, m.role, (select max(s.seen_at) from sessions s where s.user_id = u.id) as seen
       from users u left join memberships m on m.user_id = u.id left join productions p on p.id = m.production_id order by u.name, p.name`,
    { type: QueryTypes.SELECT },
  );

async function productionOf(db: Database, nameOrId: string) {
  const found = (await db.Production.findAll()).filter((p) => p.id === nameOrId || p.name === nameOrId);
  if (found.length === 0) throw new AdminError(`There is no production ${nameOrId}.`);
  if (found.length > 1) throw new AdminError(`${found.length} productions are called ${nameOrId}; say its id: ${found.map((p) => p.id).join(', ')}`);
  return found[0];
}
async function personOf(db: Database, name: string) {
  const user = await userNamed(db, name);
  if (!user) throw new AdminError(`There is no person ${name}.`);
  return user;
}

/** A link: who joins chooses the password, and nobody else ever knows it. */
export async function addPerson(db: Database, name: string, production: string, role: Role): Promise<string> {
  if (!ROLES.includes(role)) throw new AdminError(`${role} is no role; ${ROLES.join(', ')} are.`);
  const { id } = await productionOf(db, production);
  return (await makeLink(db, { what: 'join', productionId: id, role, madeBy: `${MADE_BY}, for ${name}` })).token;
}

export const passwordLink = async (db: Database, name: string): Promise<string> => (await makeLink(db, { what: 'password', userId: (await personOf(db, name)).id, madeBy: MADE_BY })).token;

export const signOutEverywhere = async (db: Database, name: string): Promise<number> => db.Session.destroy({ where: { userId: (await personOf(db, name)).id } });

export async function removePerson(db: Database, name: string, production?: string): Promise<string> {
  const user = await personOf(db, name);
  const only = production ? (await productionOf(db, production)).id : null;
  const memberships = await db.Membership.findAll({ where: { userId: user.id, ...(only ? { productionId: only } : {}) } });
  for (const m of memberships) {
    if (m.role === 'owner' && (await otherOwners(db, m.productionId, user.id)) === 0)
      throw new AdminError(`${name} is the only owner of ${m.productionId}. Add another one first; nothing was changed.`);
  }
  await db.Membership.destroy({ where: { userId: user.id, productionId: memberships.map((m) => m.productionId) } });
  if (!only) await db.Session.destroy({ where: { userId: user.id } });
  return `${user.name} is out of ${memberships.length} production${memberships.length === 1 ? '' : 's'}.`;
}

/** For somebody who has lost his authenticator and his recovery codes. */
export async function secondStepOff(db: Database, name: string): Promise<string> {
  const user = await personOf(db, name);
  if (!(await secondStepOf(db).off(user.id))) throw new AdminError(`${user.name} signs in by password alone.`);
  return `${user.name} signs in by password alone from now on.`;
}

/** What is kept of a person, to be handed to him. */
export const personData = async (db: Database, name: string) => dataOf(db, (await personOf(db, name)).id);

/** For good: entries stay, and nobody can tell whose they were. */
export const removeForGood = async (db: Database, name: string): Promise<void> => forgetPerson(db, (await personOf(db, name)).id);

export async function beginLink(db: Database): Promise<string> {
  if (!(await isEmpty(db))) throw new AdminError('Somebody has begun here already; an owner invites, or bin/admin add-person does.');
  return (await makeLink(db, { what: 'begin', madeBy: MADE_BY })).token;
}
