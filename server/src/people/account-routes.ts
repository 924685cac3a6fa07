import type { Device, ProductionBody } from '@mesure/contract';
import { BODY_SCHEMAS, changePasswordSchema, forgetMeSchema, waitingSchema } from '@mesure/contract/schemas';
import { Op } from 'sequelize';
import type { ServerConfig } from '../config';
import { NOW } from '../db/clock';
import type { Database } from '../db/connect';
import { personOf } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { Route } from '../http/route';
import { idParam, must } from '../http/validate';
import { hashNewPassword } from './passwords';
import { makeProduction } from './productions';
import { proofOf } from './proof';
import type { Sessions } from './sessions';
import { dataOf, forgetPerson } from './forget';

/** What is one's own, in whatever production: session, password, devices, productions. */
export function accountRoutes(db: Database, config: Pick<ServerConfig, 'addresses' | 'trustAddress'>, sessions: Sessions, loadDemo: ((userId: string) => Promise<string>) | null): Route[] {
  const mustProve = proofOf(db);
  /** Of an installation: who owns a film of his own here. */
  const mustOwnOne = async (userId: string) => {
    const owned = (await sessions.productionsOf(userId)).some((p) => p.role === 'owner' && !p.demo);
    if (!owned) throw new ApiProblem('FORBIDDEN', 'Only an owner makes productions here.');
  };
  return [
    {
      method: 'get',
      path: '/session',
      access: 'account',
      what: 'Who is signed in, in which production (`?production=`), and in which others he is.',
      async handle(req, res) {
        const person = personOf(req);
        const wanted = typeof req.query.production === 'string' ? req.query.production : null;
        const info = await sessions.describe(person, wanted ?? person.lastProductionId);
        if (wanted && info.production.id !== wanted) throw new ApiProblem('NOT_FOUND', 'There is no such production.');
        if (info.production.id !== person.lastProductionId) await db.Session.update({ productionId: info.production.id }, { where: { tokenSha256: person.tokenSha256 } });
        res.json(info);
      },
    },
    {
      method: 'delete',
      path: '/session',
      access: 'account',
      what: 'Signs out on this device.',
      async handle(req, res) {
        await db.Session.destroy({ where: { tokenSha256: personOf(req).tokenSha256 } });
        req.log?.info({ person: personOf(req).name }, 'signed out');
        sessions.clear(res);
        res.status(204).end();
      },
    },
    {
      method: 'get',
      path: '/network',
      access: 'account',
      what: 'Where other phones find this server, and where they learn to trust it.',
      handle: (_req, res) => res.json({ addresses: config.addresses, trustAddress: config.trustAddress }),
    },
    {
      method: 'put',
      path: '/account/password',
      access: 'account',
      what: 'Changes one’s own password; every other session ends.',
      body: changePasswordSchema,
      async handle(req, res) {
        const person = personOf(req);
        const asked = must(changePasswordSchema, req.body) as { before: string; password: string };
        const user = await mustProve(person.userId, asked.before);
        await user.update({ passwordHash: await hashNewPassword(asked.password, [person.name]) });
        await db.Session.destroy({ where: { userId: person.userId, tokenSha256: { [Op.ne]: person.tokenSha256 } } });
        res.status(204).end();
      },
    },
    {
      method: 'get',
      path: '/account/data',
      access: 'account',
      what: 'What is kept of oneself: productions, devices, preferences, and what one entered where and when.',
      handle: async (req, res) => res.json(await dataOf(db, personOf(req).userId)),
    },
    {
      method: 'post',
      path: '/account/forget',
      access: 'account',
      what: 'Removes oneself for good; entries stay as of “a former member”. Not while one is the only owner of a film.',
      body: forgetMeSchema,
      async handle(req, res) {
        const person = personOf(req);
        await mustProve(person.userId, (must(forgetMeSchema, req.body) as { before: string }).before);
        await forgetPerson(db, person.userId);
        // the log keeps that it was done, and not who it was
        req.log?.info('a person was removed for good');
        sessions.clear(res);
        res.status(204).end();
      },
    },
    {
      method: 'get',
      path: '/account/devices',
      access: 'account',
      what: 'Where one is signed in.',
      async handle(req, res) {
        const person = personOf(req);
        const rows = await db.Session.findAll({ where: { userId: person.userId }, order: [['seenAt', 'DESC']] });
        const devices = rows.map((s): Device => ({ id: s.id, device: s.device, since: s.createdAt.toISOString(), seen: s.seenAt.toISOString(), thisOne: s.id === person.sessionId }));
        res.json({ devices });
      },
    },
    {
      method: 'put',
      path: '/account/waiting',
      access: 'account',
      what: 'How much this device still has to send; others see it beside its person.',
      body: waitingSchema,
      async handle(req, res) {
        const { count } = must(waitingSchema, req.body) as { count: number };
        await db.Session.update({ waiting: count, seenAt: NOW }, { where: { tokenSha256: personOf(req).tokenSha256 } });
        res.status(204).end();
      },
    },
    {
      method: 'delete',
      path: '/account/devices',
      access: 'account',
      what: 'Signs out everywhere but here.',
      async handle(req, res) {
        const person = personOf(req);
        await db.Session.destroy({ where: { userId: person.userId, tokenSha256: { [Op.ne]: person.tokenSha256 } } });
        res.status(204).end();
      },
    },
    {
      method: 'delete',
      path: '/account/devices/:id',
      access: 'account',
      what: 'Signs out on one device.',
      async handle(req, res) {
        const gone = await db.Session.destroy({ where: { userId: personOf(req).userId, id: idParam(req) } });
        if (gone === 0) throw new ApiProblem('NOT_FOUND', 'There is no such device.');
        res.status(204).end();
      },
    },
    {
      method: 'post',
      path: '/productions',
      access: 'account',
      what: 'Begins another production; who makes it owns it.',
      body: BODY_SCHEMAS.production,
      async handle(req, res) {
        const person = personOf(req);
        await mustOwnOne(person.userId);
        const body = must(BODY_SCHEMAS.production, req.body) as ProductionBody;
        const id = await makeProduction(db, { id: person.userId, name: person.name }, { ...body, demo: false });
        res.status(201).json(await sessions.describe(person, id));
      },
    },
    {
      method: 'post',
      path: '/productions/demo',
      access: 'account',
      what: 'Adds the demo film beside one’s own, to look around in.',
      async handle(req, res) {
        const person = personOf(req);
        await mustOwnOne(person.userId);
        if (!loadDemo) throw new ApiProblem('NOT_READY', 'The demo film was not installed with this server.');
        const id = await loadDemo(person.userId);
        res.status(201).json(await sessions.describe(person, id));
      },
    },
  ];
}
