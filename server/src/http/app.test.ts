import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import request from 'supertest';
import { startTestServer, type TestServer } from '../test-server';

let server: TestServer;
// a folder whose own name begins with a dot, as .build does
const webDir = mkdtempSync(path.join(os.tmpdir(), '.mesure-web-'));

beforeAll(async () => {
  mkdirSync(path.join(webDir, 'static'));
  writeFileSync(path.join(webDir, 'index.html'), '<title>Mesure</title>');
  writeFileSync(path.join(webDir, 'sw.js'), '// worker');
  writeFileSync(path.join(webDir, 'static', `entry-${'a'.repeat(32)}.js`), '// entry');
  server = await startTestServer({ worker: false, webDir });
});
afterAll(async () => {
  await server?.stop();
  rmSync(webDir, { recursive: true, force: true });
});

describe('the web client is served', () => {
  test.each(['/', '/floor', '/check/3f1c'])('%s is the shell, asked for anew each time', async (address) => {
    const r = await request(server.app).get(address).expect(200);
    expect(r.text).toContain('<title>Mesure</title>');
    expect(r.headers['cache-control']).toBe('no-cache');
  });
  test('what is named by its content is kept for good; the service worker is not', async () => {
    expect(
      (
        await request(server.app)
          .get(`/static/entry-${'a'.repeat(32)}.js`)
          .expect(200)
      ).headers['cache-control'],
    ).toContain('immutable');
    expect((await request(server.app).get('/sw.js').expect(200)).headers['cache-control']).toBe('no-cache');
  });
  test('a file that is not there is not the shell', async () => {
    const r = await request(server.app).get('/static/gone.js').expect(404);
    expect(r.body.code).toBe('NOT_FOUND');
  });
  test('no address leads out of its folder', async () => {
    for (const p of ['/../package.json', '/%2e%2e/package.json', '/static/..%2f..%2fetc/passwd']) expect((await request(server.app).get(p)).text).not.toMatch(/"name"|root:/);
  });
});

describe('headers', () => {
  test('policy, framing, sniffing, referrer, request id', async () => {
    const r = await request(server.app).get('/').expect(200);
    const policy = r.headers['content-security-policy'] as string;
    expect(policy).toContain("script-src 'self' 'wasm-unsafe-eval'");
    expect(policy).not.toMatch(/script-src[^;]*'unsafe/);
    expect(policy).toContain("frame-ancestors 'none'");
    expect(r.headers).toMatchObject({ 'x-content-type-options': 'nosniff', 'referrer-policy': 'no-referrer', 'x-request-id': expect.stringMatching(/^[0-9a-f-]{36}$/) });
    expect(r.headers['x-powered-by']).toBeUndefined();
  });
  test('answers with data are never kept by anybody', async () => {
    expect((await request(server.app).get('/api/health').expect(200)).headers['cache-control']).toBe('no-store');
  });
});

describe('sessions', () => {
  test('one that has run out signs nobody in, and is cleared when somebody else signs in', async () => {
    const { agent } = await server.signIn('wrangler');
    await agent.get('/api/session').expect(200);
    await server.db.Session.update({ expiresAt: new Date(Date.now() - 1000) }, { where: { userId: server.ids.wrangler } });
    const r = await agent.get('/api/session').expect(401);
    expect(r.body).toMatchObject({ code: 'NOT_SIGNED_IN', detail: expect.stringContaining('stays on it') });
    await server.signIn('solver');
    expect(await server.db.Session.count({ where: { userId: server.ids.wrangler } })).toBe(0);
  });
  test('a person who left the production is out at once', async () => {
    const { agent } = await server.signIn('stranger');
    await server.db.Membership.destroy({ where: { userId: server.ids.stranger } });
    await agent.get('/api/session').expect(401);
  });
  test('an invented cookie signs nobody in', async () => {
    await request(server.app)
      .get('/api/session')
      .set('cookie', `mesure_session=${'x'.repeat(43)}`)
      .expect(401);
  });
});

describe('bodies', () => {
  test('one that is too large or no JSON is refused with its reason', async () => {
    const send = (text: string) => request(server.app).post('/api/session').set('content-type', 'application/json').send(text);
    expect((await send('{"name":')).status).toBe(422);
    expect((await send(JSON.stringify({ name: 'x'.repeat(2_000_000), password: 'y' }))).status).toBe(413);
    const r = await send('{}');
    expect(r.status).toBe(422);
    expect(r.body.fields.map((f: { field: string }) => f.field).sort()).toEqual(['name', 'password']);
  });
});

test('without its database the server says so and keeps its inside to itself', async () => {
  const { db, app } = server;
  const spy = jest.spyOn(db.sequelize, 'query').mockRejectedValueOnce(new Error('connect ECONNREFUSED 127.0.0.1:5999'));
  const r = await request(app).get('/api/health');
  spy.mockRestore();
  expect(r.status).toBe(500);
  expect(r.body).toMatchObject({ status: 500, instance: expect.any(String) });
  expect(JSON.stringify(r.body)).not.toMatch(/ECONNREFUSED|5999/);
});
