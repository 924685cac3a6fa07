import { type SessionInfo } from '@mesure/contract';
import { signInSchema } from '@mesure/contract/schemas';
import { randomBytes } from 'node:crypto';
import { Router, type CookieOptions } from 'express';
import { rateLimit } from 'express-rate-limit';
import { Op } from 'sequelize';
import type { ServerConfig } from '../config';
import type { Database } from '../db/connect';
import { guard, SESSION_COOKIE, sha256, viewerOf } from '../http/guard';
import { ApiProblem } from '../http/problem';
import { must } from '../http/validate';
import { NOBODY_HASH, verifyPassword } from './passwords';

/** A shooting day is long and a phone sleeps: a session lasts two weeks. */
const SESSION_DAYS = 14;
export const SIGN_IN_ATTEMPTS = 10;
const ATTEMPT_WINDOW_MINUTES = 15;

export function peopleRoutes(db: Database, config: ServerConfig): Router {
  const router = Router();
  const cookie: CookieOptions = { httpOnly: true, sameSite: 'strict', secure: config.secureCookies, path: '/' };
  const attempts = rateLimit({
    windowMs: ATTEMPT_WINDOW_MINUTES * 60_000,
    limit: SIGN_IN_ATTEMPTS,
    skipSuccessfulRequests: true,
    standardHeaders: true,
    legacyHeaders: false,
    keyGenerator: (req) => `${req.ip}|${String((req.body as { name?: unknown })?.name ?? '').toLowerCase()}`,
    handler: () => {
      throw new ApiProblem('TOO_MANY_ATTEMPTS', `Too many wrong attempts. Wait ${ATTEMPT_WINDOW_MINUTES} minutes and try again.`);
    },
    validate: { keyGeneratorIpFallback: false },
  });

  // open: this is where a session begins
  router.post('/session', attempts, async (req, res) => {
    const { name, password } = must(signInSchema, req.body) as { name: string; password: string };
    const user = await db.User.findOne({ where: { name: name.trim() } });
    const right = await verifyPassword(password, user?.passwordHash ?? NOBODY_HASH);
    const membership = user && right ? await db.Membership.findOne({ where: { userId: user.id } }) : null;
    if (!user || !right || !membership) throw new ApiProblem('WRONG_SIGN_IN', 'The name or the password is not right.');
    // the moment at which the table grows is the moment to clear it of what has run out
    await db.Session.destroy({ where: { expiresAt: { [Op.lt]: new Date() } } });
    const token = randomBytes(32).toString('base64url');
    const session = await db.Session.create({
      tokenSha256: sha256(token),
      userId: user.id,
      productionId: membership.productionId,
      csrfToken: randomBytes(24).toString('base64url'),
      expiresAt: new Date(Date.now() + SESSION_DAYS * 86_400_000),
    });
    res.cookie(SESSION_COOKIE, token, { ...cookie, maxAge: SESSION_DAYS * 86_400_000 });
    res.status(201).json(await describe(session.productionId, { userId: user.id, name: user.name, role: membership.role, csrfToken: session.csrfToken }));
  });

  router.get('/session', guard(db), async (req, res) => {
    const v = viewerOf(req);
    res.json(await describe(v.productionId, v));
  });

  router.delete('/session', guard(db), async (req, res) => {
    await db.Session.destroy({ where: { tokenSha256: viewerOf(req).tokenSha256 } });
    res.clearCookie(SESSION_COOKIE, cookie);
    res.status(204).end();
  });

  async function describe(productionId: string, v: Pick<SessionInfo, 'userId' | 'name' | 'role' | 'csrfToken'>): Promise<SessionInfo> {
    const production = await db.Production.findByPk(productionId);
    return { userId: v.userId, name: v.name, role: v.role, csrfToken: v.csrfToken, production: { id: productionId, name: production?.name ?? '' } };
  }
  return router;
}
