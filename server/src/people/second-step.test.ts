import { createHmac } from 'node:crypto';
import request from 'supertest';
import { secondStepOff } from '../admin/people';
import { PASSWORD, startTestServer, type Person, type TestServer } from '../test-server';
import { makeLink } from './links';
import { FREE_ATTEMPTS } from './slow-down';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer({ worker: false });
});
afterAll(() => server?.stop());

/** In the middle of a half minute and held there: on a busy machine a request would begin in one period and end in the next. */
beforeEach(() => {
  const at = (Math.floor(Date.now() / 30_000) + 0.5) * 30_000;
  jest.spyOn(Date, 'now').mockReturnValue(at);
});
afterEach(() => jest.restoreAllMocks());

/** RFC 4226 and 6238 by their text, apart from what the server uses. */
function codeAt(secret: string, seconds: number, digits = 6): string {
  const bits = [...secret.replace(/-/g, '')].map((c) => 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567'.indexOf(c).toString(2).padStart(5, '0')).join('');
  const key = Buffer.from(bits.match(/.{8}/g)!.map((b) => parseInt(b, 2)));
  const counter = Buffer.alloc(8);
  counter.writeBigUInt64BE(BigInt(Math.floor(seconds / 30)));
  const mac = createHmac('sha1', key).update(counter).digest();
  const at = mac[19] & 15;
  return String((mac.readUInt32BE(at) & 0x7fffffff) % 10 ** digits).padStart(digits, '0');
}
const now = () => Date.now() / 1000;
const by = (who: Person, method: 'post' | 'put', address: string, body: object = {}) => who.agent[method](`/api/account${address}`).set('x-csrf-token', who.csrf).send(body);
const signIn = (name: string, code?: string) => request(server.address).post('/api/session').send({ name, password: PASSWORD, code });
/** As half a minute later, without waiting for it: what was used may be used again. */
const nextPeriod = () => server.db.sequelize.query('update second_steps set last_period = null');

async function switchOn(name: string): Promise<{ person: Person; secret: string; recovery: string[] }> {
  const person = await server.signIn(name);
  const { secret } = (await by(person, 'post', '/second-step', { before: PASSWORD }).expect(201)).body as { secret: string };
  const { recovery } = (await by(person, 'put', '/second-step', { code: codeAt(secret, now()) }).expect(200)).body as { recovery: string[] };
  await nextPeriod();
  return { person, secret, recovery };
}

test('the codes of these tests are those of RFC 6238, appendix B', () => {
  const secret = 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ';
  expect([59, 1111111109, 1111111111, 1234567890, 2000000000, 20000000000].map((t) => codeAt(secret, t, 8))).toEqual(['94287082', '07081804', '14050471', '89005924', '69279037', '65353130']);
});

test('it is off until a code of the authenticator was entered; a wrong one, or no password, switches nothing on', async () => {
  const person = await server.signIn('supervisor');
  expect((await person.agent.get('/api/account/second-step')).body).toEqual({ since: null, recoveryLeft: 0 });
  expect((await by(person, 'post', '/second-step', { before: 'not it at all' })).status).toBe(422);
  expect((await by(person, 'put', '/second-step', { code: '123456' })).body.detail).toMatch(/Begin it first/);
  expect((await by(person, 'post', '/second-step/recovery', { before: PASSWORD })).body.detail).toMatch(/nothing to recover/);
  const made = (await by(person, 'post', '/second-step', { before: PASSWORD }).expect(201)).body as { secret: string; address: string };
  // what an authenticator scans: RFC 4648 base32 of 160 bits, and whose it is
  expect(made.secret.replace(/-/g, '')).toMatch(/^[A-Z2-7]{32}$/);
  expect(new URL(made.address)).toMatchObject({ protocol: 'otpauth:', host: 'totp' });
  expect(Object.fromEntries(new URL(made.address).searchParams)).toEqual({ issuer: 'Mesure', secret: made.secret.replace(/-/g, ''), algorithm: 'SHA1', digits: '6', period: '30' });
  const wrong = String((Number(codeAt(made.secret, now())) + 1) % 1e6).padStart(6, '0');
  expect((await by(person, 'put', '/second-step', { code: wrong })).body).toMatchObject({ code: 'INVALID', fields: [{ field: 'code' }] });
  expect((await signIn('supervisor')).status).toBe(201);
});

test('with it on the password alone opens nothing; a code opens once, also for two at the same moment', async () => {
  const { secret } = await switchOn('wrangler');
  const without = await signIn('wrangler');
  expect([without.status, without.body.code, without.headers['set-cookie']]).toEqual([401, 'CODE_NEEDED', undefined]);
  // what the password is, is said to nobody who does not have it
  expect(
    (
      await request(server.address)
        .post('/api/session')
        .send({ name: 'wrangler', password: 'not it at all', code: codeAt(secret, now()) })
    ).body.code,
  ).toBe('WRONG_SIGN_IN');
  const code = codeAt(secret, now());
  const both = await Promise.all([signIn('wrangler', code), signIn('wrangler', `${code.slice(0, 3)} ${code.slice(3)}`)]);
  expect(both.map((r) => r.status).sort()).toEqual([201, 422]);
  expect((await signIn('wrangler', code)).body.detail).toMatch(/used already/);
  // one before it opens nothing after it
  expect((await signIn('wrangler', codeAt(secret, now() - 30))).status).toBe(422);
});

test('half a minute to either side is taken; of a clock that is further off it is said how far', async () => {
  const { secret } = await switchOn('solver');
  for (const off of [-30, 0, 30]) {
    await nextPeriod();
    expect([off, (await signIn('solver', codeAt(secret, now() + off))).status]).toEqual([off, 201]);
  }
  await nextPeriod();
  for (const [off, said] of [
    [-600, /that of 10 minutes ago: this server’s clock says \d\d:\d\d UTC/],
    [+1500, /that of 25 minutes ahead/],
    [-2 * 3600, /^The code is not right\.$/],
  ] as const) {
    const r = await signIn('solver', codeAt(secret, now() + off));
    expect([off, r.status, r.headers['set-cookie']]).toEqual([off, 422, undefined]);
    expect(r.body.detail).toMatch(said);
  }
});

test('a recovery code opens once, in any spelling, and new ones end those before', async () => {
  const { person, secret, recovery } = await switchOn('owner');
  expect(new Set(recovery).size).toBe(10);
  expect(recovery.every((c) => /^([a-z2-7]{4}-){3}[a-z2-7]{4}$/.test(c))).toBe(true);
  // what is in the table opens nothing
  const [[kept]] = (await server.db.sequelize.query("select recovery::text as text from second_steps where recovery <> '[]' order by confirmed_at desc limit 1")) as [{ text: string }[], unknown];
  expect(recovery.some((c) => kept.text.toUpperCase().includes(c.replace(/-/g, '').toUpperCase()))).toBe(false);
  const both = await Promise.all([signIn('owner', recovery[0]), signIn('owner', recovery[0].toUpperCase().replace(/-/g, ' '))]);
  expect(both.map((r) => r.status).sort()).toEqual([201, 422]);
  expect((await signIn('owner', recovery[0])).status).toBe(422);
  expect((await person.agent.get('/api/account/second-step')).body.recoveryLeft).toBe(9);
  expect((await by(person, 'post', '/second-step/recovery', { before: PASSWORD })).body.code).toBe('CODE_NEEDED');
  const renewed = (await by(person, 'post', '/second-step/recovery', { before: PASSWORD, code: codeAt(secret, now()) }).expect(200)).body as { recovery: string[] };
  expect((await signIn('owner', recovery[1])).status).toBe(422);
  expect((await signIn('owner', renewed.recovery[1])).status).toBe(201);
});

test('wrong codes slow the next one down, whatever the address says of the password', async () => {
  const { secret } = await switchOn('guest');
  const statuses: number[] = [];
  for (let i = 0; i <= FREE_ATTEMPTS; i += 1) statuses.push((await signIn('guest', String(i).repeat(6))).status);
  expect(statuses).toEqual(Array.from({ length: FREE_ATTEMPTS + 1 }, () => 422));
  await server.db.sequelize.query("update sign_in_waits set next_at = now() + interval '2 seconds' where key like 'code %'");
  const early = await signIn('guest', codeAt(secret, now()));
  expect([early.status, early.body.detail]).toEqual([429, expect.stringMatching(/^The code was wrong several times/)]);
  await new Promise((done) => setTimeout(done, 1000 * Number(early.headers['retry-after'])));
  expect((await signIn('guest', codeAt(secret, now()))).status).toBe(201);
});

test('a link for a new password, and an invitation to somebody known, ask for it too, and are not used up by asking', async () => {
  const { secret } = await switchOn('stranger');
  const { token } = await makeLink(server.db, { what: 'password', userId: server.ids.stranger, madeBy: 'a test' });
  const set = (code?: string) => request(server.address).post('/api/links/password').send({ token, password: 'nine larks over slate', code });
  expect((await set()).body.code).toBe('CODE_NEEDED');
  expect((await signIn('stranger', codeAt(secret, now()))).status).toBe(201);
  await nextPeriod();
  expect((await set(codeAt(secret, now()))).status).toBe(201);
  await nextPeriod();
  const invited = await makeLink(server.db, { what: 'join', productionId: server.ids.p1, role: 'guest', madeBy: 'a test' });
  const join = (code?: string) => request(server.address).post('/api/links/join').send({ token: invited.token, name: 'Stranger', password: 'nine larks over slate', code });
  expect((await join()).body.code).toBe('CODE_NEEDED');
  expect((await join(codeAt(secret, now()))).status).toBe(201);
});

test('it is switched off by password and code, or by who keeps the server; it is part of what is kept of a person', async () => {
  const { person, secret } = await switchOn('supervisor');
  expect((await person.agent.get('/api/account/data')).body.secondStepSince).toMatch(/^20/);
  expect((await by(person, 'post', '/second-step', { before: PASSWORD })).body.detail).toMatch(/on already/);
  expect((await by(person, 'post', '/second-step/off', { before: PASSWORD, code: '' })).body.code).toBe('CODE_NEEDED');
  expect((await by(person, 'post', '/second-step/off', { before: 'not it at all', code: codeAt(secret, now()) })).status).toBe(422);
  expect((await signIn('supervisor')).body.code).toBe('CODE_NEEDED');
  await by(person, 'post', '/second-step/off', { before: PASSWORD, code: codeAt(secret, now()) }).expect(204);
  expect((await signIn('supervisor')).status).toBe(201);
  await expect(secondStepOff(server.db, 'supervisor')).rejects.toThrow(/password alone/);
  await switchOn('supervisor');
  expect((await signIn('supervisor')).body.code).toBe('CODE_NEEDED');
  expect(await secondStepOff(server.db, 'Supervisor')).toMatch(/password alone from now on/);
  expect((await signIn('supervisor')).status).toBe(201);
});
