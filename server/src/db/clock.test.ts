import { randomUUID } from 'node:crypto';
import { PASSWORD, startTestServer, type Person, type TestServer } from '../test-server';
import { makeLink } from '../people/links';
import { removeEnded } from '../people/end-production';
import { agoMs, databaseNow } from './clock';

/** A machine whose own clock is wrong, beside a database whose clock is right. */
let server: TestServer, owner: Person;
const DAY_MS = 86_400_000;
const REST = [
  'hrtime',
  'nextTick',
  'performance',
  'queueMicrotask',
  'requestAnimationFrame',
  'cancelAnimationFrame',
  'requestIdleCallback',
  'cancelIdleCallback',
  'setImmediate',
  'clearImmediate',
  'setInterval',
  'clearInterval',
  'setTimeout',
  'clearTimeout',
] as const;
/** The machine's clock alone; all that waits goes on as it is. */
const clockIsOff = (days: number) => jest.useFakeTimers({ now: Date.now() + days * DAY_MS, doNotFake: [...REST] });

beforeAll(async () => {
  server = await startTestServer({ worker: false });
  owner = await server.signIn('owner');
});
afterEach(() => jest.useRealTimers());
afterAll(() => server?.stop());

const sql = (text: string) => server.db.sequelize.query(text);
/** without a cookie jar, which has a clock of its own */
const call = (cookie: string, method: string, path: string, csrf = '', body?: object) =>
  fetch(`${server.address}${path}`, { method, headers: { cookie, 'x-csrf-token': csrf, 'content-type': 'application/json' }, body: body ? JSON.stringify(body) : undefined });
async function signIn(): Promise<{ cookie: string; csrf: string }> {
  const r = await call('', 'POST', '/api/session', '', { name: 'wrangler', password: PASSWORD });
  expect(r.status).toBe(201);
  return { cookie: r.headers.getSetCookie()[0].split(';')[0], csrf: ((await r.json()) as { csrfToken: string }).csrfToken };
}

test.each([60, -60, 20_000])('a machine that is %d days off: who was signed in stays so, links hold, entries are dated by the database', async (days) => {
  const before = await signIn();
  const { token } = await makeLink(server.db, { what: 'join', productionId: server.ids.p1, role: 'guest', madeBy: 'a test' });
  clockIsOff(days);
  expect((await call(before.cookie, 'GET', '/api/session')).status).toBe(200);
  const during = await signIn();
  expect((await call('', 'POST', '/api/links/look', '', { token })).status).toBe(200);
  const id = randomUUID();
  const r = await call(during.cookie, 'PUT', server.at(`/records/day/${id}`), during.csrf, {
    mutationId: randomUUID(),
    baseVersion: 0,
    deleted: false,
    body: { name: 'Day 1', date: '2026-11-27', unit: 'main' },
  });
  expect(r.status).toBe(201);
  const { record } = (await r.json()) as { record: { updatedAt: string } };
  expect(Math.abs(Date.parse(record.updatedAt) - (await databaseNow(server.db)).getTime())).toBeLessThan(60_000);
  const late = await makeLink(server.db, { what: 'begin', madeBy: 'a test' });
  jest.useRealTimers();
  expect(Math.abs(late.expiresAt.getTime() - Date.now() - 3_600_000)).toBeLessThan(60_000);
  for (const { cookie } of [before, during]) expect((await call(cookie, 'GET', '/api/session')).status).toBe(200);
});

test('a worker whose clock is ahead takes no job from one that is at work', async () => {
  const row = async (ageS: number) => {
    const [id, subjectId] = [randomUUID(), randomUUID()];
    await server.put(owner, 'day', subjectId, { name: 'Day 2', date: '2026-11-28', unit: 'main' }).expect(201);
    await server.db.AnalysisRow.create({
      id,
      productionId: server.ids.p1,
      kind: 'solve',
      subjectId,
      status: 'running',
      attempts: 1,
      input: {} as never,
      outcome: null,
      error: null,
      finishedAt: null,
      heartbeatAt: agoMs(1000 * ageS),
    } as never);
    return id;
  };
  const alive = await row(-1);
  const gone = await row(10);
  clockIsOff(1 / 24);
  const worker = await server.startWorker({ abandonedAfterMs: 6000 });
  try {
    const statusOf = async (id: string) => (await server.db.AnalysisRow.findByPk(id))!.status;
    for (let i = 0; i < 100 && (await statusOf(gone)) === 'running'; i += 1) await new Promise((r) => setTimeout(r, 100));
    expect(await statusOf(gone)).not.toBe('running');
    expect(await statusOf(alive)).toBe('running');
  } finally {
    await worker.stop();
    await sql('delete from analyses');
  }
}, 30_000);

test('a film that ends is not removed by a clock that has just moved, forwards or back; a day later it is', async () => {
  await owner.agent.post(server.at('/end')).set('x-csrf-token', owner.csrf).send({ name: 'One' }).expect(200);
  await sql("update productions set ends_at = now() - interval '1 hour' where name = 'One'");
  for (const seen of ["now() - interval '16 days'", "now() + interval '3 days'"]) {
    await sql(`update installation set clock_seen_at = ${seen}, clock_moved_at = null`);
    expect(await removeEnded(server.db, server.store)).toEqual([]);
    // and not at the next look either
    expect(await removeEnded(server.db, server.store)).toEqual([]);
    const state = (await owner.agent.get(server.at('/server')).expect(200)).body as { at: string; clock: { movedAt: string } };
    expect(Math.abs(Date.parse(state.clock.movedAt) - Date.parse(state.at))).toBeLessThan(60_000);
  }
  await sql("update installation set clock_moved_at = now() - interval '25 hours'");
  expect(await removeEnded(server.db, server.store)).toEqual(['One']);
});
