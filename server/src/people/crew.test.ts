import { type CrewMember, FIELDS_OF, KINDS, mayWrite, RECORD_KINDS, RIGHTS, ROLES, type Right, type Role } from '@mesure/contract';
import { randomUUID } from 'node:crypto';
import request from 'supertest';
import { addressOf } from '../http/route';
import { createDatabase, PASSWORD, startTestServer, type Person, type TestServer } from '../test-server';
import { makeLink } from './links';
import { passwordProblem } from './passwords';

const GOOD = 'seven herons under ice';
const production = (name = 'Own film') => ({ name, fps: 25, lengthUnit: 'm', timeZone: 'Europe/Lisbon', slating: 'scene' });
let server: TestServer;
const people = {} as Record<Role | 'stranger', Person>;
beforeAll(async () => {
  server = await startTestServer({ worker: false });
  for (const name of [...ROLES, 'stranger'] as const) people[name] = await server.signIn(name);
});
afterAll(() => server?.stop());

const post = (address: string, body: object) => request(server.address).post(`/api${address}`).send(body);
const by = (who: Person, method: 'post' | 'patch' | 'delete' | 'put', address: string, body: object = {}) => who.agent[method](address).set('x-csrf-token', who.csrf).send(body);
const invite = async (who: Person, role: Role): Promise<string> => (await by(who, 'post', server.at('/invitations'), { role }).expect(201)).body.token;

describe('the first person', () => {
  test('begins with the link, once; nobody begins where somebody is', async () => {
    const empty = await startTestServer({ worker: false });
    try {
      await empty.db.Membership.destroy({ where: {} });
      await empty.db.User.destroy({ where: {} });
      await empty.db.Production.destroy({ where: {} });
      const { token } = await makeLink(empty.db, { what: 'begin', madeBy: 'a test' });
      const begin = (change: object = {}) =>
        request(empty.address)
          .post('/api/links/begin')
          .send({ token, production: production(), name: ' Ada  Quill ', password: GOOD, ...change });
      expect((await begin({ password: 'password123' })).body.fields[0].field).toBe('password');
      expect((await begin({ production: { ...production(), timeZone: 'Nowhere/Here' } })).body.detail).toMatch(/time zone/);
      expect((await begin({ token: 'x'.repeat(32) })).status).toBe(404);
      // two at the same moment: one gets through
      const both = await Promise.all([begin(), begin({ name: 'Second' })]);
      expect(both.map((r) => r.status).sort()).toEqual([201, 404]);
      expect((await begin()).body.detail).toMatch(/used already/);
      const first = both.find((r) => r.status === 201)!.body;
      expect(first).toMatchObject({ role: 'owner', production: { name: 'Own film' } });
      expect(await empty.db.Entry.findAll({ where: { productionId: first.production.id } })).toMatchObject([{ kind: 'production', body: production() }]);
      // another begin link is worth nothing once somebody is here
      const late = await makeLink(empty.db, { what: 'begin', madeBy: 'a test' });
      expect((await begin({ token: late.token, name: 'Third' })).body.code).toBe('FORBIDDEN');
      expect(await empty.db.Production.count()).toBe(1);
    } finally {
      await empty.stop();
    }
  });

  test('a link runs out after its time', async () => {
    const { token } = await makeLink(server.db, { what: 'join', productionId: server.ids.p1, role: 'guest', madeBy: 'a test' }, new Date(Date.now() - 49 * 3_600_000));
    expect((await post('/links/look', { token })).body.detail).toMatch(/was good until/);
  });
});

test('what a device still has to send stands beside its person for the others, until it is sent', async () => {
  const waitingOf = async (role: Role) => {
    const { people: crew } = (await people.guest.agent.get(server.at('/people')).expect(200)).body as { people: CrewMember[] };
    return crew.find((q) => q.role === role)!.waiting;
  };
  expect(await waitingOf('wrangler')).toBe(0);
  await by(people.wrangler, 'put', '/api/account/waiting', { count: 3 }).expect(204);
  expect(await waitingOf('wrangler')).toBe(3);
  expect(await waitingOf('supervisor')).toBe(0);
  for (const count of [-1, 1.5, 'two', 1e9]) await by(people.wrangler, 'put', '/api/account/waiting', { count } as object).expect(422);
  await by(people.wrangler, 'put', '/api/account/waiting', { count: 0 }).expect(204);
  expect(await waitingOf('wrangler')).toBe(0);
});

describe('invitations', () => {
  test('say what they are for, work once, and give the role that was meant', async () => {
    const token = await invite(people.supervisor, 'solver');
    expect((await post('/links/look', { token }).expect(200)).body).toMatchObject({ what: 'join', production: 'One', role: 'solver', madeBy: 'supervisor' });
    const joined = await post('/links/join', { token, name: 'Ivo Tam', password: GOOD }).expect(201);
    expect(joined.body).toMatchObject({ name: 'Ivo Tam', role: 'solver', production: { id: server.ids.p1 } });
    expect((await post('/links/join', { token, name: 'Another', password: GOOD })).status).toBe(404);
  });

  test('a name that is taken needs its password; then the person is in both productions', async () => {
    const token = await invite(people.owner, 'guest');
    const taken = await post('/links/join', { token, name: 'stranger', password: GOOD });
    expect(taken.body.fields).toEqual([{ field: 'name', message: expect.stringContaining('taken') }]);
    const joined = await post('/links/join', { token, name: 'stranger', password: PASSWORD }).expect(201);
    expect(joined.body.productions.map((p: { name: string; role: string }) => [p.name, p.role])).toEqual([
      ['One', 'guest'],
      ['Two', 'owner'],
    ]);
    const { agent } = people.stranger;
    expect((await agent.get(`/api/session?production=${server.ids.p1}`).expect(200)).body.role).toBe('guest');
    await agent.get(`/api/productions/${server.ids.p1}/records`).expect(200);
    expect((await agent.get(`/api/session?production=${server.ids.p2}`).expect(200)).body.role).toBe('owner');
    await by(people.owner, 'delete', server.at(`/people/${server.ids.stranger}`)).expect(204);
    await agent.get(`/api/productions/${server.ids.p1}/records`).expect(404);
  });

  test('nobody invites above himself, and one that is taken back is worth nothing', async () => {
    expect((await by(people.supervisor, 'post', server.at('/invitations'), { role: 'owner' })).body.code).toBe('FORBIDDEN');
    const token = await invite(people.owner, 'wrangler');
    const { invitations } = (await people.owner.agent.get(server.at('/invitations'))).body;
    for (const i of invitations) await by(people.owner, 'delete', server.at(`/invitations/${i.id}`)).expect(204);
    expect((await post('/links/join', { token, name: 'Late', password: GOOD })).status).toBe(404);
    expect(JSON.stringify(invitations)).not.toContain(token);
  });
});

describe('people', () => {
  test('the last owner can neither leave nor become something else; with a second one both work', async () => {
    expect((await by(people.owner, 'delete', server.at(`/people/${server.ids.owner}`))).body.detail).toMatch(/needs an owner/);
    expect((await by(people.owner, 'patch', server.at(`/people/${server.ids.owner}`), { role: 'guest' })).status).toBe(422);
    await by(people.owner, 'patch', server.at(`/people/${server.ids.supervisor}`), { role: 'owner' }).expect(204);
    await by(people.supervisor, 'patch', server.at(`/people/${server.ids.owner}`), { role: 'guest' }).expect(204);
    expect((await by(people.owner, 'post', server.at('/invitations'), { role: 'guest' })).body.code).toBe('FORBIDDEN');
    await by(people.supervisor, 'patch', server.at(`/people/${server.ids.owner}`), { role: 'owner' }).expect(204);
    await by(people.owner, 'patch', server.at(`/people/${server.ids.supervisor}`), { role: 'supervisor' }).expect(204);
  });

  test('who leaves keeps his name on what he entered', async () => {
    const token = await invite(people.owner, 'wrangler');
    const agent = request.agent(server.address);
    const { csrfToken, userId } = (await agent.post('/api/links/join').send({ token, name: 'Noor Vane', password: GOOD }).expect(201)).body;
    const me = { agent, csrf: csrfToken };
    const id = randomUUID();
    await server.put(me, 'set', id, { name: 'Left behind', marks: [] }).expect(201);
    await by(me, 'delete', server.at(`/people/${userId}`)).expect(204);
    await agent.get(server.at('/records')).expect(404);
    expect((await agent.get('/api/session')).body.code).toBe('NOT_SIGNED_IN');
    const { records } = (await people.owner.agent.get(server.at('/records'))).body;
    expect(records.find((r: { id: string }) => r.id === id).updatedBy).toBe('Noor Vane');
  });

  test('a password is changed, every other device ends, and the owner’s link sets a new one', async () => {
    const token = await invite(people.owner, 'guest');
    const agent = request.agent(server.address);
    const { csrfToken, userId } = (await agent.post('/api/links/join').send({ token, name: 'Pia Lund', password: GOOD }).expect(201)).body;
    const me = { agent, csrf: csrfToken };
    const other = request.agent(server.address);
    await other.post('/api/session').send({ name: 'Pia Lundt', password: GOOD }).expect(401);
    await other.post('/api/session').send({ name: ' pia  lund ', password: GOOD }).expect(201);
    const { devices } = (await agent.get('/api/account/devices').expect(200)).body;
    expect(devices.map((d: { thisOne: boolean }) => d.thisOne).sort()).toEqual([false, true]);
    expect((await by(me, 'put', '/api/account/password', { before: 'not it', password: `${GOOD} too` })).body.fields[0].field).toBe('before');
    await by(me, 'put', '/api/account/password', { before: GOOD, password: `${GOOD} too` }).expect(204);
    await other.get('/api/session').expect(401);
    await agent.get('/api/session').expect(200);
    const link = (await by(people.owner, 'post', server.at(`/people/${userId}/password-link`)).expect(201)).body;
    await post('/links/password', { token: link.token, password: 'quarters of a mirror ball' }).expect(201);
    await agent.get('/api/session').expect(401);
    await post('/session', { name: 'Pia Lund', password: 'quarters of a mirror ball' }).expect(201);
  });

  test('an owner here gives no password link to a person of another production too', async () => {
    const token = await invite(people.owner, 'guest');
    await post('/links/join', { token, name: 'stranger', password: PASSWORD }).expect(201);
    expect((await by(people.owner, 'post', server.at(`/people/${server.ids.stranger}/password-link`))).body.code).toBe('FORBIDDEN');
    await by(people.owner, 'delete', server.at(`/people/${server.ids.stranger}`)).expect(204);
  });

  test('a device that nobody touched for a week signs in again', async () => {
    const agent = request.agent(server.address);
    await agent.post('/api/session').send({ name: 'guest', password: PASSWORD }).expect(201);
    const session = (await server.db.Session.findOne({ where: { userId: server.ids.guest }, order: [['createdAt', 'DESC']] }))!;
    // when it signed in, and when it was seen last, are two things
    const signedInAt = session.createdAt;
    await session.update({ seenAt: new Date(Date.now() - 6 * 86_400_000) });
    const { devices } = (await agent.get('/api/account/devices').expect(200)).body as { devices: { thisOne: boolean; since: string; seen: string }[] };
    const here = devices.find((d) => d.thisOne)!;
    expect(here.since).toBe(signedInAt.toISOString());
    // and being asked was being seen
    expect(Date.now() - Date.parse(here.seen)).toBeLessThan(60_000);
    await session.reload();
    await session.update({ seenAt: new Date(Date.now() - 8 * 86_400_000) });
    await agent.get('/api/session').expect(401);
  });

  test('an owner begins another film; others do not, and only a demo is removed with one action', async () => {
    const made = await by(people.owner, 'post', '/api/productions', production('Second film')).expect(201);
    expect(made.body.production.name).toBe('Second film');
    expect((await by(people.wrangler, 'post', '/api/productions', production())).body.code).toBe('FORBIDDEN');
    expect((await by(people.owner, 'delete', `/api/productions/${made.body.production.id}`)).body.code).toBe('FORBIDDEN');
    await server.db.Production.update({ demo: true }, { where: { id: made.body.production.id } });
    await by(people.owner, 'delete', `/api/productions/${made.body.production.id}`).expect(204);
    expect(await server.db.Entry.count({ where: { productionId: made.body.production.id } })).toBe(0);
  });
});

test('passwords: length, and what is guessed first', () => {
  for (const bad of ['short', 'password123', 'qwertyuiop', 'aaaaaaaaaaaa', '1234567890']) expect([bad, passwordProblem(bad)]).toEqual([bad, expect.any(String)]);
  expect(passwordProblem('SaltFerry2026', ['The Salt Ferry', 'saltferry'])).toMatch(/guessed/);
  expect(passwordProblem(GOOD)).toBeNull();
});

describe('every role at every address', () => {
  const routes = () => server.routes.filter((r) => r.access !== 'open');
  // ids that nobody has: what is allowed gets as far as "no such thing" or "not right", what is not is refused before that
  const fill = (address: string, productionId: string) =>
    `/api${address
      .replace(':productionId', productionId)
      .replace(':kind', 'set')
      .replace(/:\w+/g, () => randomUUID())}`;
  const ask = (who: Person | null, method: string, address: string) => {
    const agent = who?.agent ?? request(server.address);
    const verb = method === 'all' ? 'post' : (method as 'get');
    const asked = agent[verb](address);
    return who ? asked.set('x-csrf-token', who.csrf) : asked;
  };

  test('without a session nothing but the open ones answers; in another production nothing exists', async () => {
    for (const r of routes()) {
      const own = fill(addressOf(r), server.ids.p1);
      expect([r.method, own, (await ask(null, r.method, own)).status]).toEqual([r.method, own, 401]);
      if (r.access === 'account') continue;
      const foreign = fill(addressOf(r), server.ids.p2);
      for (const role of ROLES) expect([role, r.method, foreign, (await ask(people[role], r.method, foreign)).status]).toEqual([role, r.method, foreign, 404]);
    }
    expect((await request(server.address).get('/api/anything')).status).toBe(401);
  });

  test('a right decides, as the one table says', async () => {
    for (const r of routes().filter((q) => q.access !== 'account' && !q.path.endsWith('/events') && !q.path.includes('camera-feed'))) {
      for (const role of ROLES) {
        const { body } = await ask(people[role], r.method, fill(addressOf(r), server.ids.p1));
        const allowed = (RIGHTS[r.access as Right] as readonly Role[]).includes(role);
        // the handler's own refusals (leaving as the last owner, removing somebody else) come after the right
        const refused = body?.code === 'FORBIDDEN' && /As \w+ you may not do this/.test(body.detail);
        expect([role, r.method, r.path, refused]).toEqual([role, r.method, r.path, !allowed]);
      }
    }
  });

  test('and each kind of record is written by whom its own file says', async () => {
    for (const kind of RECORD_KINDS) {
      for (const role of ROLES) {
        const id = kind === 'person' ? server.ids[role] : kind === 'floor' ? server.ids.p1 : randomUUID();
        const { body } = await server.put(people[role], kind, id, {});
        expect([role, kind, body.code]).toEqual([role, kind, mayWrite(role, kind) ? 'INVALID' : 'FORBIDDEN']);
      }
    }
  });

  test('a solver gives a take its tracks and nothing else of it, and cannot hide it', async () => {
    const day = await server.layDay(people.wrangler);
    const id = randomUUID();
    const body = day.take(1);
    await server.put(people.wrangler, 'take', id, body).expect(201);
    const tracks = await server.own('t.csv');
    expect(FIELDS_OF.solver?.take).toEqual(['tracks', 'tracksCounted']);
    await server.put(people.solver, 'take', id, { ...body, tracks }, { baseVersion: 1 }).expect(200);
    expect((await server.put(people.solver, 'take', id, { ...body, tracks, notes: 'mine' }, { baseVersion: 2 })).body.code).toBe('FORBIDDEN');
    expect((await server.put(people.solver, 'take', id, { ...body, tracks }, { baseVersion: 2, deleted: true })).body.code).toBe('FORBIDDEN');
    expect((await server.put(people.guest, 'take', id, { ...body, tracks: null }, { baseVersion: 2 })).body.code).toBe('FORBIDDEN');
    // nor a change of nothing: it would make a version, and be signed by who may not write
    for (const who of [people.guest, people.solver]) {
      const setup = (await server.db.Entry.findByPk(day.setup))!;
      expect((await server.put(who, 'setup', day.setup, setup.body, { baseVersion: setup.version })).body.code).toBe('FORBIDDEN');
    }
    expect((await server.put(people.guest, 'take', id, { ...body, tracks }, { baseVersion: 2 })).body.code).toBe('FORBIDDEN');
    // a remark stands until somebody answers it
    const remark = { about: 'take', aboutId: id, field: 'height', text: 'Height seems 4 cm low.', by: 'solver', at: '2026-11-26T12:00:00.000Z', answer: null };
    const remarkId = randomUUID();
    await server.put(people.solver, 'remark', remarkId, remark).expect(201);
    await server.put(people.wrangler, 'remark', remarkId, { ...remark, answer: { text: 'Taken at the dolly head.', by: 'wrangler', at: '2026-11-26T13:00:00.000Z' } }, { baseVersion: 1 }).expect(200);
    expect((await server.put(people.solver, 'remark', randomUUID(), { ...remark, aboutId: randomUUID() })).body.detail).toMatch(/there is no such take or setup/);
  });

  test('a day goes by who directs only', async () => {
    const id = randomUUID();
    const body = { name: 'Day 1', date: '2026-11-26' };
    await server.put(people.wrangler, 'day', id, body).expect(201);
    expect((await server.put(people.wrangler, 'day', id, body, { baseVersion: 1, deleted: true })).body.code).toBe('FORBIDDEN');
    await server.put(people.supervisor, 'day', id, body, { baseVersion: 1, deleted: true }).expect(200);
    expect(KINDS.day.hides).toBe('direct');
  });
});

test('a production has one record of itself, and its name is the one that sessions show', async () => {
  const id = randomUUID();
  await server.put(people.owner, 'production', id, production('One renamed')).expect(201);
  expect((await people.guest.agent.get('/api/session')).body.production.name).toBe('One renamed');
  expect((await server.put(people.owner, 'production', randomUUID(), production())).body.code).toBe('INVALID');
});

test('a database of its own has an epoch of its own', async () => {
  const { connect, migrate } = await import('..');
  const db = connect(await createDatabase('epoch'));
  await migrate(db.sequelize);
  const mine = (await server.db.Installation.findByPk(1))!.epoch;
  expect((await db.Installation.findByPk(1))!.epoch).not.toBe(mine);
  await db.sequelize.close();
});
