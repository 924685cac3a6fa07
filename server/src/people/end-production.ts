import { ENDS_AFTER_DAYS } from '@mesure/contract';
import { Op } from 'sequelize';
import { databaseNow, lookAtClock } from '../db/clock';
import type { Database } from '../db/connect';
import type { FileStore } from '../files/store';
import { ApiProblem } from '../http/problem';

/** A film is removed for good after a delay; until then everybody in it sees when, and an owner keeps it with one tap. `name` proves that this one is meant. */
export async function endProduction(db: Database, productionId: string, by: string, name: string): Promise<Date> {
  const production = (await db.Production.findByPk(productionId))!;
  if (name.trim() !== production.name) throw new ApiProblem('INVALID', 'The name is another one; nothing was changed.', { fields: [{ field: 'name', message: `is not ${production.name}` }] });
  const endsAt = production.endsAt ?? new Date((await databaseNow(db)).getTime() + ENDS_AFTER_DAYS * 86_400_000);
  await production.update({ endsAt, endsBy: production.endsBy ?? by });
  return endsAt;
}

export const keepProduction = (db: Database, productionId: string): Promise<unknown> => db.Production.update({ endsAt: null, endsBy: null }, { where: { id: productionId } });

/** Removes what is due: records with their history, computations, links, and the files that no other production has. Answers with the names. */
export async function removeEnded(db: Database, store: Pick<FileStore, 'remove'>, at?: Date): Promise<string[]> {
  const clock = await lookAtClock(db);
  // by a clock that has just moved by days everything would be due
  if (!clock.trusted) return [];
  const now = at ?? clock.now;
  const due = await db.Production.findAll({ where: { endsAt: { [Op.lte]: now } } });
  const gone: string[] = [];
  for (const production of due) {
    const files = await db.StoredFile.findAll({ where: { productionId: production.id }, attributes: ['sha256'] });
    // kept by an owner between the look and the removal: it stays
    const removed = await db.Production.destroy({ where: { id: production.id, endsAt: { [Op.lte]: now } } });
    if (removed === 0) continue;
    gone.push(production.name);
    const shared = new Set((await db.StoredFile.findAll({ where: { sha256: files.map((f) => f.sha256) }, attributes: ['sha256'] })).map((f) => f.sha256));
    for (const { sha256 } of files) if (!shared.has(sha256)) await store.remove(sha256);
  }
  return gone;
}
