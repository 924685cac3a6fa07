import { may, type Right, type Role } from '@mesure/contract';
import { createHash, timingSafeEqual } from 'node:crypto';
import type { Request, RequestHandler } from 'express';
import type { Database } from '../db/connect';
import { ApiProblem } from './problem';

/** Who asks, as the session says. */
export interface Person {
  userId: string;
  name: string;
  csrfToken: string;
  tokenSha256: string;
  sessionId: string;
  /** where the session was last */
  lastProductionId: string;
}
/** Who asks, in the production that the address names. */
export interface Viewer extends Person {
  role: Role;
  productionId: string;
}
declare module 'express-serve-static-core' {
  interface Request {
    person?: Person;
    viewer?: Viewer;
  }
}

/** `__Host-` binds the cookie to this host and to TLS; browsers refuse the name without both. */
export const sessionCookie = (secure: boolean): string => (secure ? '__Host-mesure' : 'mesure_session');
export const sha256 = (text: string): string => createHash('sha256').update(text).digest('hex');
/** A phone that nobody touched for so long signs in again. */
export const IDLE_DAYS = 7;
const SEEN_EVERY_MS = 5 * 60_000;

/** Closed by default: everything behind it needs a session, and a change needs the session's token in a header. */
export function guard(db: Database, secure: boolean): RequestHandler {
  const cookie = sessionCookie(secure);
  return async (req, _res, next) => {
    const token: unknown = req.cookies?.[cookie];
    if (typeof token !== 'string' || token === '') throw new ApiProblem('NOT_SIGNED_IN', 'Sign in to go on. What waits on this device stays on it.');
    const session = await db.Session.findByPk(sha256(token));
    const now = Date.now();
    if (!session || session.expiresAt.getTime() < now || now - session.seenAt.getTime() > IDLE_DAYS * 86_400_000)
      throw new ApiProblem('NOT_SIGNED_IN', 'The session has ended. Sign in again; what waits on this device stays on it.');
    const user = await db.User.findByPk(session.userId);
    if (!user) throw new ApiProblem('NOT_SIGNED_IN', 'This person is no longer here.');
    if (now - session.seenAt.getTime() > SEEN_EVERY_MS) await session.update({ seenAt: new Date(now) });
    req.person = { userId: user.id, name: user.name, csrfToken: session.csrfToken, tokenSha256: session.tokenSha256, sessionId: session.id, lastProductionId: session.productionId };
    if (!['GET', 'HEAD'].includes(req.method) && !sameText(req.get('x-csrf-token') ?? '', session.csrfToken)) {
      throw new ApiProblem('BAD_CSRF', 'Reload the page and try again.');
    }
    next();
  };
}

/** Every address under /productions/:productionId belongs to that production's people; others learn nothing, not even that it exists. */
export function member(db: Database): RequestHandler {
  return async (req, _res, next) => {
    const person = personOf(req);
    const { productionId } = req.params as { productionId: string };
    const membership = /^[0-9a-f-]{36}$/.test(productionId) ? await db.Membership.findOne({ where: { userId: person.userId, productionId } }) : null;
    if (!membership) throw new ApiProblem('NOT_FOUND', 'There is no such production.');
    req.viewer = { ...person, role: membership.role, productionId };
    next();
  };
}

/** Only who has the right, by the one table of roles. */
export function allow(right: Right): RequestHandler {
  return (req, _res, next) => {
    const { role } = viewerOf(req);
    if (!may(role, right)) throw new ApiProblem('FORBIDDEN', `As ${role} you may not do this. Ask the owner of the production for another role.`);
    next();
  };
}

/** Is the session still there, and its person still part of the production? For answers that stay open. */
export async function sessionHolds(db: Database, v: Viewer): Promise<boolean> {
  const session = await db.Session.findByPk(v.tokenSha256);
  return session !== null && session.expiresAt > new Date() && (await db.Membership.count({ where: { userId: v.userId, productionId: v.productionId } })) > 0;
}

export function personOf(req: Request): Person {
  if (!req.person) throw new ApiProblem('NOT_SIGNED_IN', 'Sign in to go on.');
  return req.person;
}
export function viewerOf(req: Request): Viewer {
  if (!req.viewer) throw new ApiProblem('NOT_SIGNED_IN', 'Sign in to go on.');
  return req.viewer;
}

function sameText(a: string, b: string): boolean {
  const x = Buffer.from(a);
  const y = Buffer.from(b);
  return x.length === y.length && timingSafeEqual(x, y);
}
