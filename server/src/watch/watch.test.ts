import type { ServerState } from '@mesure/contract';
import { randomUUID } from 'node:crypto';
import path from 'node:path';
import request from 'supertest';
import { backup } from '../admin/archive';
import { readConfig } from '../config';
import { METRICS_TOKEN, startTestServer, type Person, type TestServer } from '../test-server';
import { newestFaults, noteFault } from './faults';

let server: TestServer, owner: Person, wrangler: Person;
beforeAll(async () => {
  server = await startTestServer({ worker: false });
  [owner, wrangler] = [await server.signIn('owner'), await server.signIn('wrangler')];
});
afterAll(() => server?.stop());

const state = async (): Promise<ServerState> => (await owner.agent.get(server.at('/server')).expect(200)).body;
const metrics = (token?: string) => {
  const r = request(server.address).get('/metrics');
  return token ? r.set('authorization', `Bearer ${token}`) : r;
};
/** A line of the text format: its value, by name and labels. */
const valueOf = (text: string, line: RegExp): number => Number(line.exec(text)?.[1] ?? NaN);

test('an owner sees queue, disk and backup of the machine; others do not', async () => {
  const day = await server.layDay(wrangler);
  expect(await state()).toMatchObject({ queue: { waiting: 0, running: 0, oldestWaitS: null, failedToday: 0 }, lastBackupAt: null, faults: [] });
  const ask = (status: string, minutesAgo: number) =>
    server.db.sequelize.query(
      `insert into analyses (id, production_id, kind, subject_id, status, input, created_at, finished_at)
         values (gen_random_uuid(), :production, 'solve', :setup, :status, '{}', now() - :minutes * interval '1 minute', ${status === 'failed' ? 'now()' : 'null'})`,
      { replacements: { production: server.ids.p1, setup: day.setup, status, minutes: minutesAgo } },
    );
  for (const [status, minutes] of [
    ['queued', 3],
    ['queued', 7],
    ['running', 9],
    ['failed', 60],
    ['done', 60],
  ] as const)
    await ask(status, minutes);
  const bytes = Buffer.from('track,frame,x,y\n1,1,10.5,20.25\n1,2,11.5,20.5\n');
  await server.give(wrangler, bytes, 'a.csv', 'tracks').expect(201);
  await backup(server.db, server.store, path.join(server.dir, 'b.zip'));
  const now = await state();
  expect(now.queue).toMatchObject({ waiting: 2, running: 1, failedToday: 1 });
  expect(Math.abs(now.queue.oldestWaitS! - 7 * 60)).toBeLessThan(30);
  expect(now.disk.filesBytes).toBe(bytes.length);
  expect(now.disk.databaseBytes).toBeGreaterThan(1_000_000);
  expect(now.disk.freeBytes).toBeGreaterThan(0);
  expect(now.devices).toBe(2);
  expect(Date.now() - Date.parse(now.lastBackupAt!)).toBeLessThan(60_000);
  await wrangler.agent.get(server.at('/server')).expect(403);
  await request(server.address)
    .get(`/api${server.at('/server').replace('/api', '')}`)
    .expect(401);
});

test('what fails here is told to the owner by its address pattern and the number that the person saw', async () => {
  const { db } = server;
  await db.sequelize.query('alter table files rename to files_away');
  const failed = await wrangler.agent.get(server.at('/space'));
  await db.sequelize.query('alter table files_away rename to files');
  expect([failed.status, failed.body.code]).toEqual([500, 'INTERNAL']);
  const { faults } = await state();
  expect(faults).toMatchObject([{ what: 'GET /productions/:productionId/space: SequelizeDatabaseError', requestId: failed.body.instance }]);
  // no id, no name, nothing of the film
  expect(JSON.stringify(faults)).not.toContain(server.ids.p1);
  // they do not grow without end, and a database that is away makes no second fault
  for (let i = 0; i < 30; i += 1) await Promise.all(Array.from({ length: 10 }, (_, k) => noteFault(db, `fault ${i} ${k}`, randomUUID())));
  expect(await newestFaults(db, 1000)).toHaveLength(200);
  await expect(noteFault({ sequelize: { query: () => Promise.reject(new Error('gone')) } as never }, 'x', 'y')).resolves.toBeUndefined();
});

test('figures for a watching program are closed but for its bearer, and name no one', async () => {
  for (const token of [undefined, 'x', `${METRICS_TOKEN}x`, METRICS_TOKEN.slice(1)]) expect([token, (await metrics(token)).status]).toEqual([token, 404]);
  const before = (await metrics(METRICS_TOKEN).expect(200)).text;
  await wrangler.agent.get(server.at('/records')).expect(200);
  await wrangler.agent.get(server.at(`/records/set/${randomUUID()}/history`)).expect(404);
  const { text, headers } = await metrics(METRICS_TOKEN).expect(200);
  expect(headers['content-type']).toMatch(/^text\/plain; version=0\.0\.4/);
  const read = /mesure_request_seconds_count\{method="get",address="\/productions\/:productionId\/records",status="200"\} (\d+)/;
  expect(valueOf(text, read)).toBe((valueOf(before, read) || 0) + 1);
  expect(valueOf(text, /mesure_request_seconds_count\{method="get",address="\/productions\/:productionId\/records\/:kind\/:id\/history",status="404"\} (\d+)/)).toBe(1);
  expect(valueOf(text, /^mesure_computations_waiting (\d+)$/m)).toBe(2);
  expect(valueOf(text, /^mesure_computations_failed_day (\d+)$/m)).toBe(1);
  expect(valueOf(text, /^mesure_faults_total (\d+)$/m)).toBe(1);
  for (const secret of [server.ids.p1, 'wrangler', METRICS_TOKEN, 'Production']) expect([secret, text.includes(secret)]).toEqual([secret, false]);
  // each line is one of the format's: a comment, or a name with labels and a number
  for (const line of text.split('\n').filter(Boolean)) expect(line).toMatch(/^(# (HELP|TYPE) \S+ .*|[a-z_:][a-z0-9_:]*(\{[^}]*\})? (-?[0-9.e+-]+|NaN|\+Inf))$/i);
});

test('a token that can be guessed is refused at the start', () => {
  const env = { MESURE_DATABASE_URL: 'postgres://x' };
  expect(readConfig(env).metricsToken).toBeNull();
  expect(() => readConfig({ ...env, MESURE_METRICS_TOKEN: 'short' })).toThrow(/20 characters/);
});
