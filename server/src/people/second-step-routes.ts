import { beginSecondStepSchema, confirmSecondStepSchema, provenSecondStepSchema } from '@mesure/contract/schemas';
import type { Database } from '../db/connect';
import { personOf } from '../http/guard';
import type { Route } from '../http/route';
import { must } from '../http/validate';
import { proofOf } from './proof';
import { secondStepOf } from './second-step';

/** A code beside one's own password: looked at, switched on and off, its recovery codes. */
export function secondStepRoutes(db: Database): Route[] {
  const secondStep = secondStepOf(db);
  const mustProve = proofOf(db);
  /** By both, where both are on. */
  async function mustProveTwice(userId: string, body: unknown): Promise<void> {
    const asked = must(provenSecondStepSchema, body) as { before: string; code?: string };
    await mustProve(userId, asked.before);
    await secondStep.prove(userId, asked.code);
  }
  return [
    {
      method: 'get',
      path: '/account/second-step',
      access: 'account',
      what: 'Whether a code is asked for beside one’s password, and how many recovery codes are left.',
      handle: async (req, res) => res.json(await secondStep.state(personOf(req).userId)),
    },
    {
      method: 'post',
      path: '/account/second-step',
      access: 'account',
      what: 'A secret for an authenticator. Codes are asked for once one of them was entered (PUT).',
      body: beginSecondStepSchema,
      async handle(req, res) {
        const person = personOf(req);
        await mustProve(person.userId, (must(beginSecondStepSchema, req.body) as { before: string }).before);
        res.status(201).json(await secondStep.begin(person.userId, person.name));
      },
    },
    {
      method: 'put',
      path: '/account/second-step',
      access: 'account',
      what: 'Switches the second step on by a code of the authenticator; answers with the recovery codes, this once.',
      body: confirmSecondStepSchema,
      async handle(req, res) {
        const person = personOf(req);
        const recovery = await secondStep.confirm(person.userId, (must(confirmSecondStepSchema, req.body) as { code: string }).code);
        req.log?.info({ person: person.name }, 'second step on');
        res.json({ recovery });
      },
    },
    {
      method: 'post',
      path: '/account/second-step/recovery',
      access: 'account',
      what: 'New recovery codes; the ones before open nothing any more.',
      body: provenSecondStepSchema,
      async handle(req, res) {
        const { userId } = personOf(req);
        await mustProveTwice(userId, req.body);
        res.json({ recovery: await secondStep.newRecovery(userId) });
      },
    },
    {
      method: 'post',
      path: '/account/second-step/off',
      access: 'account',
      what: 'Switches the second step off, by password and code.',
      body: provenSecondStepSchema,
      async handle(req, res) {
        const person = personOf(req);
        await mustProveTwice(person.userId, req.body);
        await secondStep.off(person.userId);
        req.log?.warn({ person: person.name }, 'second step off');
        res.status(204).end();
      },
    },
  ];
}
