import type { MyData, RecordBatch, StoredRecord } from '@mesure/contract';
import { randomUUID } from 'node:crypto';
import request from 'supertest';
import { PASSWORD, startTestServer, type Person, type TestServer } from '../test-server';
import { FORMER } from './forget';
import { makePerson } from './productions';

let server: TestServer;
const who = {} as Record<'owner' | 'wrangler' | 'solver' | 'stranger', Person>;
beforeAll(async () => {
  server = await startTestServer({ worker: false });
  for (const name of ['owner', 'wrangler', 'solver', 'stranger'] as const) who[name] = await server.signIn(name);
});
afterAll(() => server?.stop());

const forget = (p: Person, before: string) => p.agent.post('/api/account/forget').set('x-csrf-token', p.csrf).send({ before });
const batchAfter = async (after: number | null): Promise<RecordBatch> => (await who.owner.agent.get(server.at(`/records${after === null ? '' : `?after=${after}`}`)).expect(200)).body;
const day = { name: 'Day 1', date: '2026-11-27', unit: 'main' };

test('what is kept of oneself: films, devices, and which entries, without the password or anybody else', async () => {
  const id = randomUUID();
  await server.put(who.wrangler, 'day', id, day).expect(201);
  await server.put(who.owner, 'day', randomUUID(), { ...day, name: 'Day 2' }).expect(201);
  const answer = await who.wrangler.agent.get('/api/account/data').expect(200);
  const data = answer.body as MyData;
  expect(data).toMatchObject({ name: 'wrangler', productions: [{ name: 'One', role: 'wrangler' }], preferences: [] });
  expect(data.devices).toHaveLength(1);
  expect(data.entries).toEqual([{ production: 'One', kind: 'day', record: id, version: 1, at: expect.stringMatching(/^2\d{3}-/) }]);
  expect(answer.text).not.toMatch(/scrypt|argon|hash|owner/i);
  await request(server.address).get('/api/account/data').expect(401);
});

describe('removed for good', () => {
  test('not with a wrong password, and not the only owner of a film; then nothing is changed', async () => {
    expect((await forget(who.wrangler, 'a guess').expect(422)).body.fields[0].field).toBe('before');
    expect((await forget(who.stranger, PASSWORD).expect(422)).body.detail).toMatch(/Two has no other owner/);
    await forget(who.owner, PASSWORD).expect(422);
    await who.stranger.agent.get('/api/session').expect(200);
    expect(await server.db.User.count({ where: { name: ['wrangler', 'owner', 'stranger'] } })).toBe(3);
  });

  test('entries stay and nobody can tell whose they were: in lists, history, signatures, and on a phone that had the name', async () => {
    const { take, setup } = await server.layDay(who.owner);
    const takeId = randomUUID();
    await server.put(who.owner, 'take', takeId, { ...take(1), notes: 'the wrangler says: base is soft' }).expect(201);
    const at = new Date().toISOString();
    const remark = { about: 'take', aboutId: takeId, field: null, text: 'Is the base level? asks wrangler', by: 'wrangler', at, answer: null };
    const [mine, theirs] = [randomUUID(), randomUUID()];
    await server.put(who.wrangler, 'remark', mine, remark).expect(201);
    // given back for somebody else, and answered by the one who goes
    const given = (await server.put(who.solver, 'remark', theirs, remark).expect(201)).body.record.body;
    expect(given.by).toBe('solver for wrangler');
    await server.put(who.wrangler, 'remark', theirs, { ...given, answer: { text: 'It is.', by: 'wrangler', at } }, { baseVersion: 1 }).expect(200);
    await server.put(who.wrangler, 'person', server.ids.wrangler, { lengthUnit: 'ft-in' }).expect(201);
    // somebody else's change lies on top of one of his
    await server.put(who.wrangler, 'setup', setup, (await server.db.Entry.findByPk(setup))!.body, { baseVersion: 1 }).expect(200);
    const before = await batchAfter(null);
    const take1 = before.records.find((r) => r.id === takeId)!;

    await forget(who.wrangler, PASSWORD).expect(204);

    await who.wrangler.agent.get('/api/session').expect(401);
    await request(server.address).post('/api/session').send({ name: 'wrangler', password: PASSWORD }).expect(401);
    // a phone that had read everything hears what says something else now, and only that
    const heard = await batchAfter(before.cursor);
    const told = new Map(heard.records.map((r) => [r.id, r as StoredRecord<'remark'>]));
    expect(told.get(mine)).toMatchObject({ version: 1, updatedBy: FORMER, body: { by: FORMER, text: 'Is the base level? asks wrangler' } });
    expect(told.get(theirs)!.body).toMatchObject({ by: `solver for ${FORMER}`, answer: { by: FORMER, text: 'It is.' } });
    expect(told.get(mine)!.updatedAt > before.records.find((r) => r.id === mine)!.updatedAt).toBe(true);
    expect(told.has(takeId)).toBe(false);
    // of others nothing was touched, what they wrote of him neither
    expect((await batchAfter(null)).records.find((r) => r.id === takeId)).toEqual(take1);
    // nowhere as a name, in no history
    const { changes } = (await who.owner.agent.get(server.at(`/records/remark/${theirs}/history`)).expect(200)).body;
    expect(changes.map((c: { who: string }) => c.who)).toEqual(expect.arrayContaining(['solver', FORMER]));
    const [left] = await server.db.sequelize.query(
      `select (select count(*)::int from record_changes where user_name = 'wrangler' or user_id = '${server.ids.wrangler}') as changes,
              (select count(*)::int from records where updated_by = 'wrangler') as records,
              (select count(*)::int from records where body::text ~ '"by": "[^"]*wrangler') + (select count(*)::int from record_changes where after::text ~ '"by": "[^"]*wrangler' or before::text ~ '"by": "[^"]*wrangler') as signatures,
              (select count(*)::int from sessions where user_id = '${server.ids.wrangler}') as sessions,
              (select count(*)::int from records where kind = 'person' and id = '${server.ids.wrangler}') as preferences`,
    );
    expect(left[0]).toEqual({ changes: 0, records: 0, signatures: 0, sessions: 0, preferences: 0 });
    // others go on writing where he had written
    await server.put(who.owner, 'remark', mine, { ...told.get(mine)!.body, text: 'Is it level?' }, { baseVersion: 1 }).expect(200);
  });

  test('nobody takes the name under which they stand', async () => {
    await expect(makePerson(server.db, ' A former  Member ', 'hash')).rejects.toThrow(/is taken here/);
  });

  test('two owners who go at the same moment: one of them stays', async () => {
    await server.db.Membership.update({ role: 'owner' }, { where: { userId: server.ids.solver, productionId: server.ids.p1 } });
    const both = await Promise.all([forget(who.owner, PASSWORD), forget(who.solver, PASSWORD)]);
    expect(both.map((r) => r.status).sort()).toEqual([204, 422]);
    expect(await server.db.Membership.count({ where: { productionId: server.ids.p1, role: 'owner' } })).toBe(1);
  });
});
