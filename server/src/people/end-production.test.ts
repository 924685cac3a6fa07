import { ENDS_AFTER_DAYS } from '@mesure/contract';
import { randomUUID } from 'node:crypto';
import { startTestServer, type Person, type TestServer } from '../test-server';
import { removeEnded } from './end-production';

let server: TestServer;
const who = {} as Record<'owner' | 'supervisor' | 'wrangler' | 'stranger', Person>;
beforeAll(async () => {
  server = await startTestServer({ worker: false });
  for (const name of ['owner', 'supervisor', 'wrangler', 'stranger'] as const) who[name] = await server.signIn(name);
});
afterAll(() => server?.stop());

const end = (p: Person, name: string) => p.agent.post(server.at('/end')).set('x-csrf-token', p.csrf).send({ name });
const keep = (p: Person) => p.agent.delete(server.at('/end')).set('x-csrf-token', p.csrf);
const endsOf = async (p: Person) => (await p.agent.get('/api/session').expect(200)).body.productions[0].ends;
const days = (n: number) => new Date(Date.now() + n * 86_400_000);

test('only an owner, and only by its name; everybody in it sees when, and an owner keeps it', async () => {
  await end(who.supervisor, 'One').expect(403);
  await end(who.stranger, 'One').expect(404);
  expect((await end(who.owner, 'on').expect(422)).body.fields[0]).toMatchObject({ field: 'name' });
  expect(await endsOf(who.wrangler)).toBeUndefined();
  const { at } = (await end(who.owner, 'One ').expect(200)).body;
  expect((Date.parse(at) - Date.now()) / 86_400_000).toBeCloseTo(ENDS_AFTER_DAYS, 2);
  expect(await endsOf(who.wrangler)).toEqual({ at, by: 'owner' });
  // asked for again the time does not begin anew
  expect((await end(who.owner, 'One').expect(200)).body.at).toBe(at);
  // work goes on meanwhile
  await server.put(who.wrangler, 'day', randomUUID(), { name: 'Day 1', date: '2026-11-27', unit: 'main' }).expect(201);
  expect(await removeEnded(server.db, server.store)).toEqual([]);
  await keep(who.wrangler).expect(403);
  await keep(who.owner).expect(204);
  expect(await endsOf(who.wrangler)).toBeUndefined();
  expect(await removeEnded(server.db, server.store, days(400))).toEqual([]);
});

test('when its time is over it is gone with history and files; what another film has too stays', async () => {
  const own = await server.give(who.owner, Buffer.from('track,frame,x,y\na,1,2,3\n'), 'own.csv', 'tracks').expect(201);
  const shared = await server.give(who.owner, Buffer.from('track,frame,x,y\nb,1,2,3\n'), 'shared.csv', 'tracks').expect(201);
  await server.db.StoredFile.create({ productionId: server.ids.p2, sha256: shared.body.sha256, name: 'theirs.csv', mime: 'text/csv', sizeBytes: 24, widthPx: null, heightPx: null });
  await end(who.owner, 'One').expect(200);
  expect(await removeEnded(server.db, server.store, days(ENDS_AFTER_DAYS - 0.1))).toEqual([]);
  expect(await server.store.has(own.body.sha256)).toBe(true);
  expect(await removeEnded(server.db, server.store, days(ENDS_AFTER_DAYS + 0.1))).toEqual(['One']);
  const [[left]] = (await server.db.sequelize.query(
    `select (select count(*)::int from records where production_id = '${server.ids.p1}') as records, (select count(*)::int from record_changes where production_id = '${server.ids.p1}') as changes,
            (select count(*)::int from files where production_id = '${server.ids.p1}') as files, (select count(*)::int from memberships where production_id = '${server.ids.p1}') as people`,
  )) as unknown as [[object]];
  expect(left).toEqual({ records: 0, changes: 0, files: 0, people: 0 });
  expect([await server.store.has(own.body.sha256), await server.store.has(shared.body.sha256)]).toEqual([false, true]);
  await who.owner.agent.get(server.at('/records')).expect(401);
  expect(await server.db.Production.count({ where: { id: server.ids.p2 } })).toBe(1);
});
