import type { ProductionOfPerson, Role, SessionInfo } from '@mesure/contract';
import { randomBytes } from 'node:crypto';
import type { CookieOptions, Request, Response } from 'express';
import { col, fn, Op, where, type Transaction } from 'sequelize';
import type { ServerConfig } from '../config';
import { agoMs, inMs, NOW } from '../db/clock';
import type { Database } from '../db/connect';
import { IDLE_DAYS, sessionCookie, sha256 } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { User } from './model';

/** A shooting day is long and a phone sleeps: a session lasts a month, unless nobody touches the phone for a week. */
const SESSION_DAYS = 30;

/** Sessions of people: begun, described, ended. */
export function sessionsOf(db: Database, config: ServerConfig) {
  const name = sessionCookie(config.secureCookies);
  const cookie: CookieOptions = { httpOnly: true, sameSite: 'strict', secure: config.secureCookies, path: '/' };

  /** Of all productions of a person: one's own first, the demo last. */
  async function productionsOf(userId: string): Promise<ProductionOfPerson[]> {
    const memberships = await db.Membership.findAll({ where: { userId } });
    const productions = await db.Production.findAll({ where: { id: memberships.map((m) => m.productionId) } });
    return productions
      .map((p) => ({
        id: p.id,
        name: p.name,
        demo: p.demo,
        role: memberships.find((m) => m.productionId === p.id)!.role,
        ...(p.endsAt ? { ends: { at: p.endsAt.toISOString(), by: p.endsBy ?? '' } } : {}),
      }))
      .sort((a, b) => Number(a.demo) - Number(b.demo) || a.name.localeCompare(b.name));
  }

  async function describe(who: { userId: string; name: string; csrfToken: string }, wanted: string | null): Promise<SessionInfo> {
    const productions = await productionsOf(who.userId);
    const at = productions.find((p) => p.id === wanted) ?? productions[0];
    if (!at) throw new ApiProblem('NOT_SIGNED_IN', 'You are not part of any production here any more. Ask its owner for an invitation.');
    const installation = await db.Installation.findByPk(1);
    return { userId: who.userId, name: who.name, csrfToken: who.csrfToken, role: at.role, production: { id: at.id, name: at.name }, productions, epoch: installation!.epoch };
  }

  /** Begins a session for somebody who proved who he is, and answers with it. */
  async function begin(req: Request, res: Response, user: Pick<User, 'id' | 'name'>, wanted: string | null = null): Promise<void> {
    // the moment at which the table grows is the moment to clear it of what has run out
    await db.Session.destroy({ where: { [Op.or]: [{ expiresAt: { [Op.lt]: NOW } }, { seenAt: { [Op.lt]: agoMs(IDLE_DAYS * 86_400_000) } }] } });
    const last = wanted === null ? await db.Session.findOne({ where: { userId: user.id }, order: [['seenAt', 'DESC']] }) : null;
    const token = randomBytes(32).toString('base64url');
    const csrfToken = randomBytes(24).toString('base64url');
    const info = await describe({ userId: user.id, name: user.name, csrfToken }, wanted ?? last?.productionId ?? null);
    await db.Session.create({
      tokenSha256: sha256(token),
      userId: user.id,
      productionId: info.production.id,
      csrfToken,
      device: deviceName(req.get('user-agent') ?? ''),
      seenAt: NOW,
      expiresAt: inMs(SESSION_DAYS * 86_400_000),
    });
    res.cookie(name, token, { ...cookie, maxAge: SESSION_DAYS * 86_400_000 });
    req.log?.info({ person: user.name, production: info.production.name, role: info.role }, 'signed in');
    res.status(201).json(info);
  }

  const clear = (res: Response): void => void res.clearCookie(name, cookie);
  return { describe, begin, clear, productionsOf };
}
export type Sessions = ReturnType<typeof sessionsOf>;

/** Enough to tell one's own phone from one's own laptop. */
export function deviceName(userAgent: string): string {
  const system = /iPhone|iPad|Android|Windows|Mac OS X|Linux|CrOS/.exec(userAgent)?.[0] ?? 'another device';
  const browser = /Edg|OPR|Firefox|Chrome|Safari/.exec(userAgent)?.[0] ?? '';
  const names: Record<string, string> = { 'Mac OS X': 'macOS', CrOS: 'ChromeOS', Edg: 'Edge', OPR: 'Opera' };
  return [names[system] ?? system, names[browser] ?? browser].filter(Boolean).join(', ');
}

/** One spelling for limit and look-up: no spaces around, one form of each letter. */
export const personName = (name: string): string => name.normalize('NFKC').trim().replace(/\s+/g, ' ');

/** By name, in whatever case somebody types it. */
export const userNamed = (db: Database, name: string, transaction?: Transaction): Promise<User | null> =>
  db.User.findOne({ where: where(fn('lower', col('name')), personName(name).toLowerCase()), transaction });

/** Is there another one than this person who owns the production? */
export const otherOwners = (db: Database, productionId: string, userId: string, transaction?: Transaction): Promise<number> =>
  db.Membership.count({ where: { productionId, role: 'owner' satisfies Role, userId: { [Op.ne]: userId } }, transaction });
