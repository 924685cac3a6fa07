import parse from 'joi-to-json';
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import request from 'supertest';
import { startTestServer, type TestServer } from '../test-server';
import { describeApi } from './openapi';

const FILE = path.resolve(__dirname, '../../../docs/openapi.json');
let server: TestServer;
beforeAll(async () => {
  server = await startTestServer({ worker: false });
});
afterAll(() => server?.stop());

const described = () =>
  `${JSON.stringify(
    describeApi(server.routes, (schema) => parse(schema, 'open-api-3.1') as object),
    null,
    2,
  )}\n`;

test('docs/openapi.json is what the server mounts', () => {
  if (process.env.UPDATE_OPENAPI === '1') writeFileSync(FILE, described());
  expect(JSON.parse(readFileSync(FILE, 'utf8'))).toEqual(JSON.parse(described()));
});

test('and each address that it names is there: it asks for a session, or answers', async () => {
  const { paths } = JSON.parse(described()) as { paths: Record<string, Record<string, { 'x-access': string }>> };
  expect(Object.keys(paths).length).toBeGreaterThan(30);
  for (const [address, methods] of Object.entries(paths)) {
    for (const [method, { 'x-access': access }] of Object.entries(methods)) {
      const r = await request(server.address)[method as 'get'](address.replace(/\{\w+\}/g, '00000000-0000-4000-8000-000000000000'));
      expect([method, address, access === 'open' ? r.status !== 401 || r.body.code === 'WRONG_SIGN_IN' : r.status === 401]).toEqual([method, address, true]);
      expect(r.status).not.toBe(404);
    }
  }
});
