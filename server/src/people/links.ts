import type { LinkPurpose, Role } from '@mesure/contract';
import { randomBytes } from 'node:crypto';
import type { Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import { databaseNow, NOW } from '../db/clock';
import { sha256 } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { Link } from './model';

/** How long a link is good, hours: the first person stands at the machine; an invited one comes back from lunch. */
export const LINK_HOURS: Record<LinkPurpose, number> = { begin: 1, join: 48, password: 48 };

export interface NewLink {
  what: LinkPurpose;
  madeBy: string;
  productionId?: string;
  userId?: string;
  role?: Role;
}

/** A link; only its hash is kept, so that it can be shown once and never read again. */
export async function makeLink(db: Database, link: NewLink, madeAt?: Date): Promise<{ id: string; token: string; expiresAt: Date }> {
  const now = madeAt ?? (await databaseNow(db));
  const token = randomBytes(24).toString('base64url');
  const expiresAt = new Date(now.getTime() + LINK_HOURS[link.what] * 3_600_000);
  const row = await db.Link.create({ ...link, tokenSha256: sha256(token), expiresAt, createdAt: now });
  return { id: row.id, token, expiresAt };
}

/** The link that a token opens, while it does. */
export async function findLink(db: Database, token: string, transaction?: Transaction): Promise<Link> {
  const link = await db.Link.findOne({ where: { tokenSha256: sha256(token) }, transaction, ...(transaction ? { lock: transaction.LOCK.UPDATE } : {}) });
  if (!link) throw new ApiProblem('NOT_FOUND', 'This link is not known here. Ask for a new one.');
  if (link.usedAt) throw new ApiProblem('NOT_FOUND', 'This link was used already; each is good once. Ask for a new one.');
  if (link.expiresAt < (await databaseNow(db, transaction)))
    throw new ApiProblem('NOT_FOUND', `This link was good until ${link.expiresAt.toISOString().slice(0, 16).replace('T', ' ')} UTC. Ask for a new one.`);
  return link;
}

/** Does what the link is for, and uses it up, in one step: two who open it at once do not both get through. */
export const spendLink = <T>(db: Database, token: string, what: LinkPurpose, work: (link: Link, transaction: Transaction) => Promise<T>): Promise<T> =>
  db.sequelize.transaction(async (transaction) => {
    const link = await findLink(db, token, transaction);
    if (link.what !== what) throw new ApiProblem('NOT_FOUND', 'This link is for something else.');
    const answer = await work(link, transaction);
    await link.update({ usedAt: NOW }, { transaction });
    return answer;
  });
