import { may, type Right, type Role } from '@mesure/contract';
import { createHash, timingSafeEqual } from 'node:crypto';
import type { Request, RequestHandler } from 'express';
import { Op, QueryTypes } from 'sequelize';
import { NOW } from '../db/clock';
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
    /** of the person, in the production that the address names; null: none */
    roleAsked?: Role | null;
  }
}

/** `__Host-` binds the cookie to this host and to TLS; browsers refuse the name without both. */
export const sessionCookie = (secure: boolean): string => (secure ? '__Host-mesure' : 'mesure_session');
export const sha256 = (text: string): string => createHash('sha256').update(text).digest('hex');
/** A phone that nobody touched for so long signs in again. */
export const IDLE_DAYS = 7;
const SEEN_EVERY_MS = 5 * 60_000;

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;

interface Known {
  token_sha256: string;
  id: string;
  user_id: string;
  name: string;
  csrf_token: string;
  production_id: string;
  expires_at: Date;
  seen_at: Date;
  role: Role | null;
  now: Date;
}
/** Session, person and role at one look: it is done for every request. */
async function lookUp(db: Database, tokenSha256: string, productionId: string | null): Promise<Known | undefined> {
  const [known] = await db.sequelize.query<Known>(
    `select s.token_sha256, s.id, s.user_id, u.name, s.csrf_token, s.production_id, s.expires_at, s.seen_at, m.role, now() as now
       from sessions s join users u on u.id = s.user_id left join memberships m on m.user_id = s.user_id and m.production_id = $productionId::uuid
      where s.token_sha256 = $tokenSha256`,
    { bind: { tokenSha256, productionId }, type: QueryTypes.SELECT },
  );
  return known;
}

/** Closed by default: everything behind it needs a session, and a change needs the session's token in a header. */
export function guard(db: Database, secure: boolean): RequestHandler {
  const cookie = sessionCookie(secure);
  return async (req, _res, next) => {
    const token: unknown = req.cookies?.[cookie];
    if (typeof token !== 'string' || token === '') throw new ApiProblem('NOT_SIGNED_IN', 'Sign in to go on. What waits on this device stays on it.');
    const { productionId: asked } = req.params as { productionId?: string };
    const known = await lookUp(db, sha256(token), asked && UUID.test(asked) ? asked : null);
    const now = known?.now.getTime() ?? 0;
    if (!known || known.expires_at.getTime() < now || now - known.seen_at.getTime() > IDLE_DAYS * 86_400_000)
      throw new ApiProblem('NOT_SIGNED_IN', 'The session has ended. Sign in again; what waits on this device stays on it.');
    if (now - known.seen_at.getTime() > SEEN_EVERY_MS) await db.Session.update({ seenAt: NOW }, { where: { tokenSha256: known.token_sha256 } });
    req.person = { userId: known.user_id, name: known.name, csrfToken: known.csrf_token, tokenSha256: known.token_sha256, sessionId: known.id, lastProductionId: known.production_id };
    req.roleAsked = known.role;
    if (!['GET', 'HEAD'].includes(req.method) && !sameText(req.get('x-csrf-token') ?? '', known.csrf_token)) {
      throw new ApiProblem('BAD_CSRF', 'Reload the page and try again.');
    }
    next();
  };
}

/** Every address under /productions/:productionId belongs to that production's people; others learn nothing, not even that it exists. */
export const member: RequestHandler = (req, _res, next) => {
  const person = personOf(req);
  if (!req.roleAsked) throw new ApiProblem('NOT_FOUND', 'There is no such production.');
  req.viewer = { ...person, role: req.roleAsked, productionId: (req.params as { productionId: string }).productionId };
  next();
};

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
  return (
    (await db.Session.count({ where: { tokenSha256: v.tokenSha256, expiresAt: { [Op.gt]: NOW } } })) > 0 &&
    (await db.Membership.count({ where: { userId: v.userId, productionId: v.productionId } })) > 0
  );
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
