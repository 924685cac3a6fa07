import type { Role } from '@mesure/contract';
import { createHash, timingSafeEqual } from 'node:crypto';
import type { Request, RequestHandler } from 'express';
import type { Database } from '../db/connect';
import { ApiProblem } from './problem';

export interface Viewer {
  userId: string;
  name: string;
  role: Role;
  productionId: string;
  csrfToken: string;
  tokenSha256: string;
}
declare module 'express-serve-static-core' {
  interface Request {
    viewer?: Viewer;
  }
}

export const SESSION_COOKIE = 'mesure_session';
export const sha256 = (text: string): string => createHash('sha256').update(text).digest('hex');

/** Closed by default: everything mounted after it needs a session, and a change needs the session's token in a header. */
export function guard(db: Database): RequestHandler {
  return async (req, _res, next) => {
    const token: unknown = req.cookies?.[SESSION_COOKIE];
    if (typeof token !== 'string' || token === '') throw new ApiProblem('NOT_SIGNED_IN', 'Sign in to go on. What waits on this device stays on it.');
    const session = await db.Session.findByPk(sha256(token));
    if (!session || session.expiresAt < new Date()) throw new ApiProblem('NOT_SIGNED_IN', 'The session has ended. Sign in again; what waits on this device stays on it.');
    const [user, membership] = await Promise.all([db.User.findByPk(session.userId), db.Membership.findOne({ where: { userId: session.userId, productionId: session.productionId } })]);
    if (!user || !membership) throw new ApiProblem('NOT_SIGNED_IN', 'This person is no longer part of the production.');
    req.viewer = { userId: user.id, name: user.name, role: membership.role, productionId: session.productionId, csrfToken: session.csrfToken, tokenSha256: session.tokenSha256 };
    if (!['GET', 'HEAD'].includes(req.method) && !sameText(req.get('x-csrf-token') ?? '', session.csrfToken)) {
      throw new ApiProblem('BAD_CSRF', 'Reload the page and try again.');
    }
    next();
  };
}

/** Is the session still there, and its person still part of the production? For answers that stay open. */
export async function sessionHolds(db: Database, v: Viewer): Promise<boolean> {
  const session = await db.Session.findByPk(v.tokenSha256);
  return session !== null && session.expiresAt > new Date() && (await db.Membership.count({ where: { userId: v.userId, productionId: v.productionId } })) > 0;
}

/** Every address under /productions/:productionId belongs to that production's people; others learn nothing, not even that it exists. */
export const ownProduction: RequestHandler = (req, _res, next) => {
  if (req.params.productionId !== viewerOf(req).productionId) throw new ApiProblem('NOT_FOUND', 'There is no such production.');
  next();
};

export function allow(...roles: Role[]): RequestHandler {
  return (req, _res, next) => {
    if (!roles.includes(viewerOf(req).role)) throw new ApiProblem('FORBIDDEN', `This needs the role ${roles.join(' or ')}.`);
    next();
  };
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
