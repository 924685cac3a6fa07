import { readFile } from 'node:fs/promises';
import request from 'supertest';
import { startTestServer, type TestServer } from '../test-server';
import { ADDRESS_ATTEMPTS } from './open-routes';
import { FREE_ATTEMPTS, LONGEST_WAIT_S, slowDownOf } from './slow-down';

const servers: TestServer[] = [];
/** Each with limits of its own. */
async function anotherServer(): Promise<TestServer> {
  const server = await startTestServer({ worker: false });
  servers.push(server);
  return server;
}
afterAll(() => Promise.all(servers.map((s) => s.stop())));

/** On a slow machine the hash of one guess takes longer than the first wait. */
const holdUp = (server: TestServer, seconds: number) => server.db.sequelize.query(`update sign_in_waits set next_at = now() + interval '${seconds} seconds'`);
const guess = (server: TestServer, name: string, password: string) => request(server.address).post('/api/session').send({ name, password });

test('an address has a limit too: a new name for each guess does not walk around that of a name', async () => {
  const server = await anotherServer();
  const statuses: number[] = [];
  // what the schema refuses costs no hash, and counts all the same
  for (let i = 0; i < ADDRESS_ATTEMPTS + 3; i += 1) statuses.push((await guess(server, `guess ${i}`, '')).status);
  expect(statuses[0]).toBe(422);
  expect(statuses.slice(0, ADDRESS_ATTEMPTS)).not.toContain(429);
  expect(statuses.slice(ADDRESS_ATTEMPTS)).toEqual([429, 429, 429]);
});

test('wrong ones slow the next one down under every spelling of a name, however long the request; the right one is taken after the wait', async () => {
  const server = await anotherServer();
  const statuses: number[] = [];
  for (let i = 0; i <= FREE_ATTEMPTS; i += 1) statuses.push((await guess(server, ' '.repeat(i) + (i % 2 === 0 ? 'solver' : 'SOLVER'), `guess ${i}`)).status);
  expect(statuses).toEqual(Array.from({ length: FREE_ATTEMPTS + 1 }, () => 401));
  await holdUp(server, 2);
  // too early: not looked at, the right one neither, and it says when
  const early = await guess(server, 'solver', 'right password');
  expect([early.status, early.body.code]).toEqual([429, 'TOO_MANY_ATTEMPTS']);
  expect(Number(early.headers['retry-after'])).toBeGreaterThan(0);
  expect(early.body.detail).toMatch(/Try again in \d seconds?/);
  expect((await guess(server, 'n'.repeat(900_000), 'guess')).status).toBe(422);
  // others at the same address are not held up
  expect((await guess(server, 'wrangler', 'right password')).status).toBe(201);
  await new Promise((resolve) => setTimeout(resolve, 1000 * Number(early.headers['retry-after'])));
  expect((await guess(server, 'solver', 'right password')).status).toBe(201);
  // and with it all is forgotten
  expect((await guess(server, 'solver', 'guess')).status).toBe(401);
  expect((await guess(server, 'solver', 'right password')).status).toBe(201);
});

test('the wait doubles up to a minute and no further; many at once are counted one after the other; a day later it is forgotten', async () => {
  const server = await anotherServer();
  const slow = slowDownOf(server.db);
  const row = async () =>
    ((await server.db.sequelize.query("select wrong, extract(epoch from next_at - now()) as wait from sign_in_waits where key = 'k'"))[0] as { wrong: number; wait: string }[])[0];
  const passes = (seconds: number) => server.db.sequelize.query(`update sign_in_waits set next_at = next_at - interval '${seconds} seconds' where key = 'k'`);
  const waits: number[] = [];
  for (let i = 0; i < 14; i += 1) {
    await slow.attempt('k');
    const wait = Math.round(Number((await row()).wait));
    waits.push(Math.max(0, wait));
    await passes(wait + 1);
  }
  expect(waits).toEqual([0, 0, 0, 0, 0, 1, 2, 4, 8, 16, 32, LONGEST_WAIT_S, LONGEST_WAIT_S, LONGEST_WAIT_S]);
  const together = await Promise.allSettled(Array.from({ length: 8 }, () => slow.attempt('k')));
  expect(together.filter((t) => t.status === 'fulfilled')).toHaveLength(1);
  expect((await row()).wrong).toBe(15);
  await passes(86_400 + 61);
  await slow.attempt('k');
  expect(await row()).toMatchObject({ wrong: 1 });
});

test('neither a link nor a session is a way around it', async () => {
  const server = await anotherServer();
  const supervisor = await server.signIn('supervisor');
  const invited = await supervisor.agent.post(server.at('/invitations')).set('x-csrf-token', supervisor.csrf).send({ role: 'guest' }).expect(201);
  const token = String(invited.body.token ?? new URL(invited.body.url as string).hash.slice(1));
  const join = (password: string) => request(server.address).post('/api/links/join').send({ token, name: 'solver', password });
  for (let i = 0; i <= FREE_ATTEMPTS; i += 1) await join(`guess number ${i}`).expect(422);
  await holdUp(server, 30);
  await join('guess number 9').expect(429);
  const change = (before: string) => supervisor.agent.put('/api/account/password').set('x-csrf-token', supervisor.csrf).send({ before, password: 'granite otter lamp 7' });
  for (let i = 0; i <= FREE_ATTEMPTS; i += 1) await change(`guess number ${i}`).expect(422);
  await holdUp(server, 30);
  await change('right password').expect(429);
});

test('a flood of sign-ins is refused instead of waiting in line, and files are read meanwhile', async () => {
  const server = await anotherServer();
  let through = 0;
  const flood = Array.from({ length: 40 }, (_, i) =>
    guess(server, `flood ${i}`, 'a guess of it').then((r) => {
      if (r.status === 401) through += 1;
      return r.status;
    }),
  );
  // until the hashes are under way
  while (through === 0) await new Promise((resolve) => setTimeout(resolve, 5));
  for (let i = 0; i < 5; i += 1) await readFile(__filename);
  const throughWhenRead = through;
  const statuses = await Promise.all(flood);
  // two at work and sixteen waiting are taken; the rest is told to come again
  expect(new Set(statuses)).toEqual(new Set([401, 429]));
  expect(statuses.filter((s) => s === 429).length).toBeGreaterThanOrEqual(15);
  expect(statuses.filter((s) => s === 401).length).toBeGreaterThanOrEqual(18);
  expect(throughWhenRead).toBeLessThan(10);
  expect((await guess(server, 'wrangler', 'right password')).status).toBe(201);
});
