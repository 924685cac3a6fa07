import { readFile } from 'node:fs/promises';
import request from 'supertest';
import { startTestServer, type TestServer } from '../test-server';
import { ADDRESS_ATTEMPTS } from './open-routes';

const servers: TestServer[] = [];
/** Each with limits of its own. */
async function anotherServer(): Promise<TestServer> {
  const server = await startTestServer({ worker: false });
  servers.push(server);
  return server;
}
afterAll(() => Promise.all(servers.map((s) => s.stop())));

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

test('every spelling of a name is one name, however long the request', async () => {
  const server = await anotherServer();
  const statuses: number[] = [];
  for (let i = 0; i < 12; i += 1) statuses.push((await guess(server, ' '.repeat(i) + (i % 2 === 0 ? 'solver' : 'SOLVER'), `guess ${i}`)).status);
  expect(statuses.slice(-2)).toEqual([429, 429]);
  expect((await guess(server, 'n'.repeat(900_000), 'guess')).status).toBe(422);
  expect((await guess(server, 'wrangler', 'right password')).status).toBe(201);
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
