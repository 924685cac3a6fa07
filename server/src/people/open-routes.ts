import type { ProductionBody } from '@mesure/contract';
import { beginSchema, joinSchema, linkSchema, newPasswordSchema, signInSchema } from '@mesure/contract/schemas';
import type { Request } from 'express';
import { rateLimit } from 'express-rate-limit';
import type { Database } from '../db/connect';
import { sha256 } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { Route } from '../http/route';
import { must } from '../http/validate';
import { AttemptsInDatabase } from './attempts';
import { findLink, spendLink } from './links';
import { hashNewPassword, NOBODY_HASH, verifyPassword } from './passwords';
import { isEmpty, makePerson, makeProduction } from './productions';
import { personName, userNamed, type Sessions } from './sessions';
import { secondStepOf } from './second-step';
import { slowDownOf } from './slow-down';

const LINK_ATTEMPTS = 40;
/** Wrong ones from one address, under whatever names: a crew behind one address has its own wrong ones, and guesses come by the thousand. */
export const ADDRESS_ATTEMPTS = 100;
const ATTEMPT_WINDOW_MINUTES = 15;

function attempts(db: Database, what: string, limit: number, keyOf: (req: Request) => string, refused: (minutes: number) => string) {
  return rateLimit({
    windowMs: ATTEMPT_WINDOW_MINUTES * 60_000,
    limit,
    skipSuccessfulRequests: true,
    standardHeaders: true,
    legacyHeaders: false,
    store: new AttemptsInDatabase(db, what),
    keyGenerator: keyOf,
    handler: (req) => {
      req.log?.warn({ address: req.ip, path: req.path }, 'too many attempts');
      throw new ApiProblem('TOO_MANY_ATTEMPTS', refused(ATTEMPT_WINDOW_MINUTES));
    },
    validate: { keyGeneratorIpFallback: false },
  });
}

/** Where a session begins: these are the only addresses that answer without one. */
export function openRoutes(db: Database, sessions: Sessions): Route[] {
  // a name of any length becomes a key of one length, and every spelling of one name the same key
  const nameKey = (req: Request, name: string) => sha256(`${req.ip}|${personName(name).toLowerCase()}`);
  const slow = slowDownOf(db);
  const secondStep = secondStepOf(db);
  const addresses = attempts(
    db,
    'sign-in',
    ADDRESS_ATTEMPTS,
    (req) => String(req.ip),
    (m) => `Too many wrong attempts from this address. Wait ${m} minutes and try again.`,
  );
  const links = attempts(
    db,
    'link',
    LINK_ATTEMPTS,
    (req) => String(req.ip),
    (m) => `Too many links that are not good. Wait ${m} minutes and try again.`,
  );

  return [
    {
      method: 'get',
      path: '/health',
      access: 'open',
      what: 'Says only that the process and its database answer.',
      async handle(_req, res) {
        await db.sequelize.query('select 1');
        res.json({ status: 'ok' });
      },
    },
    {
      method: 'post',
      path: '/session',
      access: 'open',
      what: 'Signs in by name and password, and by a code where the person has switched that on (401 `CODE_NEEDED` asks for it).',
      body: signInSchema,
      before: addresses,
      async handle(req, res) {
        const { name, password, code } = must(signInSchema, req.body) as { name: string; password: string; code?: string };
        const key = nameKey(req, name);
        await slow.attempt(key);
        const user = await userNamed(db, name);
        const right = await verifyPassword(password, user?.passwordHash ?? NOBODY_HASH);
        if (!user || !right) {
          req.log?.warn({ address: req.ip }, 'sign-in refused');
          throw new ApiProblem('WRONG_SIGN_IN', 'The name or the password is not right.');
        }
        await slow.right(key);
        await secondStep.prove(user.id, code);
        await sessions.begin(req, res, user);
      },
    },
    {
      method: 'post',
      path: '/links/look',
      access: 'open',
      what: 'What a link is for, while it is good. The token stands in the body: an address is written into logs.',
      body: linkSchema,
      before: links,
      async handle(req, res) {
        const { token } = must(linkSchema, req.body) as { token: string };
        const link = await findLink(db, token);
        const [production, user] = await Promise.all([link.productionId ? db.Production.findByPk(link.productionId) : null, link.userId ? db.User.findByPk(link.userId) : null]);
        res.json({ what: link.what, production: production?.name ?? null, role: link.role, name: user?.name ?? null, madeBy: link.madeBy, expiresAt: link.expiresAt.toISOString() });
      },
    },
    {
      method: 'post',
      path: '/links/begin',
      access: 'open',
      what: 'The first person of an installation names the production and himself. Good once.',
      body: beginSchema,
      before: links,
      async handle(req, res) {
        const asked = must(beginSchema, req.body) as { token: string; production: ProductionBody; name: string; password: string };
        const passwordHash = await hashNewPassword(asked.password, [asked.name, asked.production.name]);
        const made = await spendLink(db, asked.token, 'begin', async (_link, transaction) => {
          if (!(await isEmpty(db))) throw new ApiProblem('FORBIDDEN', 'Somebody has begun here already. Ask for an invitation.');
          const user = await makePerson(db, asked.name, passwordHash, transaction);
          return { user, productionId: await makeProduction(db, user, asked.production, transaction) };
        });
        await sessions.begin(req, res, made.user, made.productionId);
      },
    },
    {
      method: 'post',
      path: '/links/join',
      access: 'open',
      what: 'An invited person joins: a new one with name and password, or one who is known here by both.',
      body: joinSchema,
      before: links,
      async handle(req, res) {
        const asked = must(joinSchema, req.body) as { token: string; name: string; password: string; code?: string };
        const known = await userNamed(db, asked.name);
        // a link is no way to try the passwords of others
        if (known) await slow.attempt(nameKey(req, asked.name));
        if (known && !(await verifyPassword(asked.password, known.passwordHash))) {
          const message = 'is taken here. If it is you, enter your password; else add a family name or an initial';
          throw new ApiProblem('INVALID', `The name ${known.name} ${message}.`, { fields: [{ field: 'name', message }] });
        }
        if (known) {
          await slow.right(nameKey(req, asked.name));
          await secondStep.prove(known.id, asked.code);
        }
        const passwordHash = known ? null : await hashNewPassword(asked.password, [asked.name]);
        const joined = await spendLink(db, asked.token, 'join', async (link, transaction) => {
          const user = known ?? (await makePerson(db, asked.name, passwordHash!, transaction));
          const before = await db.Membership.findOne({ where: { userId: user.id, productionId: link.productionId! }, transaction });
          if (before) throw new ApiProblem('INVALID', `${user.name} is part of the production already, as ${before.role}.`);
          await db.Membership.create({ userId: user.id, productionId: link.productionId!, role: link.role! }, { transaction });
          return { user, productionId: link.productionId! };
        });
        await sessions.begin(req, res, joined.user, joined.productionId);
      },
    },
    {
      method: 'post',
      path: '/links/password',
      access: 'open',
      what: 'A new password by the link that an owner gave. Every other session of the person ends.',
      body: newPasswordSchema,
      before: links,
      async handle(req, res) {
        const asked = must(newPasswordSchema, req.body) as { token: string; password: string; code?: string };
        const link = await findLink(db, asked.token);
        const user = link.userId ? await db.User.findByPk(link.userId) : null;
        if (!user) throw new ApiProblem('NOT_FOUND', 'This link is for something else.');
        // whoever owns one film that somebody is part of does not come into his others by a link
        await secondStep.prove(user.id, asked.code);
        const passwordHash = await hashNewPassword(asked.password, [user.name]);
        await spendLink(db, asked.token, 'password', async (_link, transaction) => {
          await user.update({ passwordHash }, { transaction });
          await db.Session.destroy({ where: { userId: user.id }, transaction });
        });
        await sessions.begin(req, res, user);
      },
    },
  ];
}
