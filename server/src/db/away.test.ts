import type { Problem } from '@mesure/contract';
import { randomUUID } from 'node:crypto';
import { ConnectionAcquireTimeoutError } from 'sequelize';
import { connect, type Database } from './connect';
import { PASSWORD, startTestServer, type Person, type TestServer } from '../test-server';

/** A database that is slow, and one that is away for a while: nothing is lost, nothing is done twice, and it is said. */
let server: TestServer, wrangler: Person, keeper: Database;
beforeAll(async () => {
  server = await startTestServer({ worker: false });
  wrangler = await server.signIn('wrangler');
  keeper = connect(process.env.MESURE_TEST_CLUSTER!);
});
afterAll(async () => {
  await keeper?.sequelize.close();
  await server?.stop();
});

const day = (id: string, mutationId: string) => server.put(wrangler, 'day', id, { name: 'Day 1', date: '2026-11-27', unit: 'main' }, { mutationId });
const database = () => new URL(server.url).pathname.slice(1);

test('while the database is slow everything waits its turn, and then is there once', async () => {
  const other = connect(server.url);
  const held = await other.sequelize.transaction();
  await other.sequelize.query('lock table records in access exclusive mode', { transaction: held });
  const ids = Array.from({ length: 30 }, () => [randomUUID(), randomUUID()]);
  const writing = Promise.all(ids.map(([id, mutation]) => day(id, mutation)));
  await new Promise((r) => setTimeout(r, 1500));
  await held.commit();
  expect((await writing).map((r) => r.status)).toEqual(ids.map(() => 201));
  expect(await server.db.EntryChange.count()).toBe(30);
  await other.sequelize.close();
});

test('while it is away each request says so, and what is sent again is done once', async () => {
  const [id, mutation] = [randomUUID(), randomUUID()];
  await day(id, mutation).expect(201);
  await keeper.sequelize.query(`alter database ${database()} allow_connections false`);
  await keeper.sequelize.query(`select pg_terminate_backend(pid) from pg_stat_activity where datname = '${database()}'`);
  try {
    const answers = await Promise.all([
      day(id, mutation),
      day(randomUUID(), randomUUID()),
      wrangler.agent.get(server.at('/records')),
      wrangler.agent.post('/api/session').send({ name: 'wrangler', password: PASSWORD }),
    ]);
    for (const r of answers) {
      const problem = r.body as Problem;
      expect([r.status, problem.code]).toEqual([503, 'UNAVAILABLE']);
      expect(problem.detail).toMatch(/stays on this device/);
      expect(r.headers['retry-after']).toBe('3');
    }
  } finally {
    await keeper.sequelize.query(`alter database ${database()} allow_connections true`);
  }
  const again = await day(id, mutation).expect(200);
  expect(again.body).toMatchObject({ record: { version: 1 } });
  expect(await server.db.EntryChange.count({ where: { mutationId: mutation } })).toBe(1);
});

test('who gets no connection in time is told to come again', async () => {
  const spy = jest
    .spyOn(server.db.sequelize.connectionManager as never as { getConnection(): Promise<unknown> }, 'getConnection')
    .mockRejectedValue(new ConnectionAcquireTimeoutError(new Error('Operation timeout')));
  try {
    await day(randomUUID(), randomUUID()).expect(503);
  } finally {
    spy.mockRestore();
  }
  await day(randomUUID(), randomUUID()).expect(201);
});
