import type { MyData } from '@mesure/contract';
import { QueryTypes, type Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';
import { CHANGES_CHANNEL } from '../records/service';
import { secondStepOf } from './second-step';
import { otherOwners } from './sessions';

/** Under this name stand the entries of whoever had himself removed: what a film needs stays, and nobody can tell whose it was. */
export const FORMER = 'a former member';

/** All that is kept of one person, and what he entered where and when. What he entered belongs to the film and leaves with its handover. */
export async function dataOf(db: Database, userId: string): Promise<MyData> {
  const user = (await db.User.findByPk(userId))!;
  const memberships = await db.Membership.findAll({ where: { userId } });
  const productions = new Map((await db.Production.findAll()).map((p) => [p.id, p.name]));
  const sessions = await db.Session.findAll({ where: { userId }, order: [['seenAt', 'DESC']] });
  const changes = await db.sequelize.query<{ production_id: string; kind: string; record_id: string; version: number; changed_at: Date }>(
    'select c.production_id, r.kind, c.record_id, c.version, c.changed_at from record_changes c join records r on r.production_id = c.production_id and r.id = c.record_id where c.user_id = :userId order by c.id',
    { replacements: { userId }, type: QueryTypes.SELECT },
  );
  const own = await db.Entry.findAll({ where: { id: userId, kind: 'person' } });
  const { since } = await secondStepOf(db).state(userId);
  return {
    madeAt: new Date().toISOString(),
    name: user.name,
    preferences: own.map((r) => ({ production: productions.get(r.productionId) ?? '', ...r.body })),
    productions: memberships.map((m) => ({ name: productions.get(m.productionId) ?? '', role: m.role })),
    devices: sessions.map((s) => ({ device: s.device, since: s.createdAt.toISOString(), seen: s.seenAt.toISOString() })),
    secondStepSince: since,
    entries: changes.map((c) => ({ production: productions.get(c.production_id) ?? '', kind: c.kind, record: c.record_id, version: c.version, at: c.changed_at.toISOString() })),
  };
}

/** A name as PostgreSQL writes it inside a JSON text, for a regular expression. */
const inJson = (name: string): string =>
  JSON.stringify(name)
    .slice(1, -1)
    .replace(/[^\p{L}\p{N}]/gu, '\\$&');

/**
 * Removes a person for good: account, sessions, preferences and links are gone; entries stay and are told as of a former member, in lists,
 * history and signatures, on the phones of the others too. A name that somebody wrote into a note is text and stays. Nothing is changed
 * where a film would be left without an owner. @throws ApiProblem INVALID
 */
export async function forgetPerson(db: Database, userId: string): Promise<void> {
  await db.sequelize.transaction(async (transaction) => {
    const user = await db.User.findByPk(userId, { transaction, lock: true });
    if (!user) throw new ApiProblem('NOT_FOUND', 'There is no such person.');
    for (const m of await db.Membership.findAll({ where: { userId, role: 'owner' }, transaction })) {
      // two owners who go at the same moment: the second waits, and finds himself the last
      const production = await db.Production.findByPk(m.productionId, { transaction, lock: true });
      if (!production?.demo && (await otherOwners(db, m.productionId, userId, transaction)) === 0)
        throw new ApiProblem('INVALID', `${production?.name ?? 'A film'} has no other owner. Make somebody one first, or it would belong to nobody; nothing was changed.`);
    }
    const run = (sql: string, values: object = {}) => db.sequelize.query(sql, { replacements: { userId, former: FORMER, ...values }, transaction, type: QueryTypes.RAW });
    // a demo that only this person has goes with him
    await run(
      'delete from productions p where p.demo and exists (select 1 from memberships m where m.production_id = p.id and m.user_id = :userId) and not exists (select 1 from memberships m where m.production_id = p.id and m.user_id <> :userId)',
    );
    await run("delete from records where id = :userId and kind = 'person'");
    const touched = await nameless(db, user.name, userId, transaction);
    await run('update links set made_by = :former where made_by = :name', { name: user.name });
    await run('update analyses set asked_by = null where asked_by = :userId');
    await tellAgain(db, touched, transaction);
    // memberships, sessions and password links go with the row
    await user.destroy({ transaction });
  });
}

interface Key {
  production_id: string;
  id: string;
}

/** Takes a name out of entries, their history and their signatures. Answers with the records that say something else now. */
async function nameless(db: Database, name: string, userId: string, transaction: Transaction): Promise<Key[]> {
  const n = inJson(name);
  const values = {
    former: FORMER,
    userId,
    alone: `"by": "${n}( for [^"]*)?"`,
    aloneTo: `"by": "${FORMER}\\1"`,
    behind: `"by": "([^"]* for )${n}"`,
    behindTo: `"by": "\\1${FORMER}"`,
    any: `"by": "([^"]* for )?${n}( for [^"]*)?"`,
  };
  const select = (sql: string) => db.sequelize.query<Key>(sql, { replacements: values, transaction, type: QueryTypes.SELECT });
  const without = (column: string) => `regexp_replace(regexp_replace(${column}::text, :alone, :aloneTo, 'g'), :behind, :behindTo, 'g')::jsonb`;
  const last = await select(
    'update records r set updated_by = :former from record_changes c where c.production_id = r.production_id and c.record_id = r.id and c.version = r.version and c.user_id = :userId returning r.production_id, r.id',
  );
  const signed = await select(`update records set body = ${without('body')} where body::text ~ :any returning production_id, id`);
  await db.sequelize.query(
    `update record_changes set before = ${without('before')}, after = ${without('after')}, sent = ${without('sent')} where before::text ~ :any or after::text ~ :any or sent::text ~ :any`,
    { replacements: values, transaction, type: QueryTypes.RAW },
  );
  await db.sequelize.query("update record_changes set user_name = :former, user_id = '00000000-0000-0000-0000-000000000000' where user_id = :userId", {
    replacements: values,
    transaction,
    type: QueryTypes.RAW,
  });
  return [...last, ...signed];
}

/** Phones that have the old name hear of the records once more: their newest change goes to the end of the log, a moment later than it was. */
async function tellAgain(db: Database, touched: readonly Key[], transaction: Transaction): Promise<void> {
  // always in one order: two who go at the same moment wait for each other and never both
  for (const production of [...new Set(touched.map((k) => k.production_id))].sort()) {
    const ids = [...new Set(touched.filter((k) => k.production_id === production).map((k) => k.id))];
    const run = (sql: string, type: QueryTypes = QueryTypes.RAW) => db.sequelize.query(sql, { replacements: { production, ids, channel: CHANGES_CHANNEL }, transaction, type: type as QueryTypes.RAW });
    await run('select pg_advisory_xact_lock(hashtextextended(:production, 7215002))', QueryTypes.SELECT);
    await run("update records set updated_at = updated_at + interval '1 millisecond' where production_id = :production and id in (:ids)");
    await run(
      `update record_changes set id = nextval(pg_get_serial_sequence('record_changes', 'id'))
        where id in (select max(id) from record_changes where production_id = :production and record_id in (:ids) group by record_id)`,
    );
    await run('select pg_notify(:channel, :production)', QueryTypes.SELECT);
  }
}
