import { may, rolesBelow, type CrewMember, type Invitation, type Role, ENDS_AFTER_DAYS } from '@mesure/contract';
import { endProductionSchema, inviteSchema, roleSchema } from '@mesure/contract/schemas';
import { Op } from 'sequelize';
import { NOW } from '../db/clock';
import type { Database } from '../db/connect';
import { viewerOf } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { Route } from '../http/route';
import { idParam, must } from '../http/validate';
import { makeLink } from './links';
import { otherOwners, type Sessions } from './sessions';
import { endProduction, keepProduction } from './end-production';

/** Who is here: people of one production, invitations, and the production's own end. */
export function crewRoutes(db: Database, sessions: Sessions): Route[] {
  async function memberOf(productionId: string, userId: string) {
    const row = await db.Membership.findOne({ where: { productionId, userId } });
    if (!row) throw new ApiProblem('NOT_FOUND', 'There is no such person in this production.');
    return row;
  }
  const mustStayOwned = async (productionId: string, userId: string) => {
    if ((await otherOwners(db, productionId, userId)) === 0) throw new ApiProblem('INVALID', 'A production needs an owner. Make somebody else one first.');
  };

  return [
    {
      method: 'get',
      path: '/people',
      access: 'read',
      what: 'The people of the production with role and when they were here last.',
      async handle(req, res) {
        const { productionId, userId } = viewerOf(req);
        const memberships = await db.Membership.findAll({ where: { productionId } });
        const ids = memberships.map((m) => m.userId);
        const [users, seen] = await Promise.all([db.User.findAll({ where: { id: ids } }), db.Session.findAll({ where: { userId: ids, productionId }, order: [['seenAt', 'DESC']] })]);
        const people = memberships.map((m): CrewMember => {
          const mine = seen.filter((s) => s.userId === m.userId);
          const last = mine[0];
          return {
            id: m.userId,
            name: users.find((u) => u.id === m.userId)?.name ?? '',
            role: m.role,
            seen: last?.seenAt.toISOString() ?? null,
            waiting: mine.reduce((n, s) => n + s.waiting, 0),
            you: m.userId === userId,
          };
        });
        res.json({ people: people.sort((a, b) => a.name.localeCompare(b.name)) });
      },
    },
    {
      method: 'get',
      path: '/invitations',
      access: 'invite',
      what: 'Invitations that nobody has used yet.',
      async handle(req, res) {
        const rows = await db.Link.findAll({ where: { productionId: viewerOf(req).productionId, what: 'join', usedAt: null, expiresAt: { [Op.gt]: NOW } }, order: [['createdAt', 'DESC']] });
        res.json({ invitations: rows.map((l): Invitation => ({ id: l.id, role: l.role!, madeBy: l.madeBy, expiresAt: l.expiresAt.toISOString() })) });
      },
    },
    {
      method: 'post',
      path: '/invitations',
      access: 'invite',
      what: 'A link for one person and one role, good once and for 48 hours. Its token is shown only now.',
      body: inviteSchema,
      async handle(req, res) {
        const v = viewerOf(req);
        const { role } = must(inviteSchema, req.body) as { role: Role };
        if (!rolesBelow(v.role).includes(role)) throw new ApiProblem('FORBIDDEN', `As ${v.role} you may not invite an ${role}.`);
        const link = await makeLink(db, { what: 'join', productionId: v.productionId, role, madeBy: v.name });
        res.status(201).json({ id: link.id, role, madeBy: v.name, token: link.token, expiresAt: link.expiresAt.toISOString() });
      },
    },
    {
      method: 'delete',
      path: '/invitations/:id',
      access: 'invite',
      what: 'Takes an invitation back.',
      async handle(req, res) {
        const gone = await db.Link.destroy({ where: { id: idParam(req), productionId: viewerOf(req).productionId, what: 'join', usedAt: null } });
        if (gone === 0) throw new ApiProblem('NOT_FOUND', 'There is no such invitation.');
        res.status(204).end();
      },
    },
    {
      method: 'patch',
      path: '/people/:id',
      access: 'people',
      what: 'Gives a person another role.',
      body: roleSchema,
      async handle(req, res) {
        const { productionId } = viewerOf(req);
        const userId = idParam(req);
        const { role } = must(roleSchema, req.body) as { role: Role };
        const row = await memberOf(productionId, userId);
        if (row.role === 'owner' && role !== 'owner') await mustStayOwned(productionId, userId);
        await row.update({ role });
        res.status(204).end();
      },
    },
    {
      method: 'delete',
      path: '/people/:id',
      access: 'own',
      what: 'Leaves the production, or removes somebody from it. What was entered keeps its author’s name.',
      async handle(req, res) {
        const v = viewerOf(req);
        const userId = idParam(req);
        if (userId !== v.userId && !may(v.role, 'people')) throw new ApiProblem('FORBIDDEN', 'Only the owner removes somebody else.');
        const row = await memberOf(v.productionId, userId);
        if (row.role === 'owner') await mustStayOwned(v.productionId, userId);
        await row.destroy();
        req.log?.info({ person: userId, by: v.name }, 'left the production');
        res.status(204).end();
      },
    },
    {
      method: 'post',
      path: '/people/:id/password-link',
      access: 'people',
      what: 'A link by which a person sets a new password; for people who are only in productions of this owner.',
      async handle(req, res) {
        const v = viewerOf(req);
        const userId = idParam(req);
        await memberOf(v.productionId, userId);
        const [theirs, mine] = await Promise.all([sessions.productionsOf(userId), sessions.productionsOf(v.userId)]);
        // else an owner here could become somebody in another production
        const elsewhere = theirs.find((p) => !mine.some((q) => q.id === p.id && q.role === 'owner'));
        if (elsewhere) throw new ApiProblem('FORBIDDEN', 'This person is in another production too. Who keeps the server gives the link: bin/admin password-link.');
        const link = await makeLink(db, { what: 'password', userId, productionId: v.productionId, madeBy: v.name });
        res.status(201).json({ token: link.token, expiresAt: link.expiresAt.toISOString() });
      },
    },
    {
      method: 'post',
      path: '/end',
      access: 'people',
      what: `Removes this film for good in ${ENDS_AFTER_DAYS} days, with all entries and files; until then an owner can keep it. Its name proves that it is meant.`,
      body: endProductionSchema,
      async handle(req, res) {
        const v = viewerOf(req);
        const at = await endProduction(db, v.productionId, v.name, (must(endProductionSchema, req.body) as { name: string }).name);
        req.log?.warn({ production: v.productionId, by: v.name, at }, 'production will be removed');
        res.json({ at: at.toISOString(), by: v.name });
      },
    },
    {
      method: 'delete',
      path: '/end',
      access: 'people',
      what: 'Keeps a film that was to be removed.',
      async handle(req, res) {
        const v = viewerOf(req);
        await keepProduction(db, v.productionId);
        req.log?.info({ production: v.productionId, by: v.name }, 'production is kept');
        res.status(204).end();
      },
    },
    {
      method: 'delete',
      path: '',
      access: 'people',
      what: 'Removes the demo film with all that was tried in it. A film of one’s own is not removed here.',
      async handle(req, res) {
        const { productionId, name } = viewerOf(req);
        const production = await db.Production.findByPk(productionId);
        if (!production?.demo) throw new ApiProblem('FORBIDDEN', 'Only the demo film is removed this way. Your own stays.');
        await production.destroy();
        req.log?.info({ production: production.name, by: name }, 'demo removed');
        res.status(204).end();
      },
    },
  ];
}
