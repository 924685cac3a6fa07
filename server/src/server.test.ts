import { writeStMapExr } from '@mesure/formats/st-map';
import { renderChequer, roomShot } from '@mesure/synthetic';
import JSZip from 'jszip';
import { createHash, randomUUID, scryptSync } from 'node:crypto';
import { checkHandover } from '@mesure/formats/handover';
import { distanceOfTracks } from './handover/test-blind-reader';
import { readdirSync } from 'node:fs';
import path from 'node:path';
import type { Express } from 'express';
import sharp from 'sharp';
import request from 'supertest';
import type { Analysis } from '@mesure/contract';
import { hashPassword, openQueue, verifyPassword, type Database } from '.';
import { createDatabase, startTestServer, type Person, type TestServer } from './test-server';

const validator = require('gltf-validator') as { validateBytes(bytes: Uint8Array): Promise<{ issues: { numErrors: number } }> };
let server: TestServer, db: Database, app: Express, wrangler: Person, solver: Person, stranger: Person;
const at = (p: string) => server.at(p);
const put = (who: Person, kind: string, id: string, body: object, change: object = {}) => server.put(who, kind, id, body, change);
const give = (who: Person, bytes: Buffer, name: string, use: string) => server.give(who, bytes, name, use);
const signIn = (name: string) => server.signIn(name);
const now = '2026-01-01T08:00:00.000Z';

beforeAll(async () => {
  server = await startTestServer();
  ({ db, app } = server);
  wrangler = await signIn('wrangler');
  solver = await signIn('solver');
  stranger = await signIn('stranger');
});
afterAll(() => server?.stop());

describe('people', () => {
  test('passwords: memory-hard, salted, verified', async () => {
    const a = await hashPassword('x'),
      b = await hashPassword('x');
    expect(a).not.toBe(b);
    expect(await verifyPassword('x', a)).toBe(true);
    expect(await verifyPassword('y', a)).toBe(false);
    expect(await verifyPassword('x', 'plain')).toBe(false);
    expect(a).toMatch(/^\$scrypt\$ln=16,r=8,p=1\$[\w+/]{22}\$[\w+/]{43}$/);
  });
  test('passwords: a hash is read at the cost that it names, the form of before at the cost of before, one that asks for too much or too little not at all', async () => {
    const salt = Buffer.from('sixteen of salt.');
    const made = (log2: number) => scryptSync('x', salt, 32, { N: 2 ** log2, r: 8, p: 1, maxmem: 2 ** 30 });
    const named = (log2: number) => `$scrypt$ln=${log2},r=8,p=1$${salt.toString('base64').slice(0, 22)}$${made(log2).toString('base64').slice(0, 43)}`;
    expect(await verifyPassword('x', `scrypt$${salt.toString('base64')}$${made(16).toString('base64')}`)).toBe(true);
    expect(await verifyPassword('x', `scrypt$${salt.toString('base64')}$${made(15).toString('base64')}`)).toBe(false);
    expect(await verifyPassword('x', named(11))).toBe(true);
    expect(await verifyPassword('y', named(11))).toBe(false);
    expect(await verifyPassword('x', named(11).replace('ln=11', 'ln=12'))).toBe(false);
    expect(await verifyPassword('x', named(9))).toBe(false);
    expect(await verifyPassword('x', named(11).replace('ln=11', 'ln=60'))).toBe(false);
  });
  test('the cookie is HttpOnly and same-site; the table holds only its hash', async () => {
    const r = await request(app).post('/api/session').send({ name: 'wrangler', password: 'right password' });
    const cookie = r.headers['set-cookie'][0];
    expect(cookie).toMatch(/HttpOnly/);
    expect(cookie).toMatch(/SameSite=Strict/);
    const token = /mesure_session=([^;]+)/.exec(cookie)![1];
    expect(await db.Session.count({ where: { tokenSha256: token } })).toBe(0);
    expect(r.headers['content-security-policy']).toMatch(/default-src 'none'/);
  });
  test('a wrong name and a wrong password get the same answer', async () => {
    const a = await request(app).post('/api/session').send({ name: 'wrangler', password: 'wrong' }).expect(401);
    const b = await request(app).post('/api/session').send({ name: 'nobody', password: 'wrong' }).expect(401);
    expect({ ...a.body, instance: '' }).toEqual({ ...b.body, instance: '' });
    expect(a.body).toMatchObject({ code: 'WRONG_SIGN_IN', status: 401, title: expect.any(String), type: 'about:blank' });
    expect(a.headers['content-type']).toMatch(/application\/problem\+json/);
  });
  test('attempts are limited', async () => {
    let last = 0;
    for (let i = 0; i < 9; i += 1)
      last = (
        await request(app)
          .post('/api/session')
          .send({ name: 'solver', password: `guess ${i}` })
      ).status;
    expect(last).toBe(429);
    expect((await request(app).post('/api/session').send({ name: 'stranger', password: 'right password' })).status).toBe(201);
  });
  test('signing out ends the session', async () => {
    const p = await signIn('wrangler');
    await p.agent.delete('/api/session').set('x-csrf-token', p.csrf).expect(204);
    await p.agent.get('/api/session').expect(401);
  });
});

describe('every address is closed', () => {
  const addresses: [string, string][] = [
    ['get', '/records'],
    ['put', `/records/set/${randomUUID()}`],
    ['get', `/records/set/${randomUUID()}/history`],
    ['post', '/files/uploads'],
    ['head', '/files/uploads/a_b_c'],
    ['patch', '/files/uploads/a_b_c'],
    ['delete', '/files/uploads/a_b_c'],
    ['get', `/files/${'a'.repeat(64)}/preview`],
    ['get', `/files/${'a'.repeat(64)}`],
    ['get', '/analyses'],
    ['post', '/analyses'],
    ['get', `/analyses/${randomUUID()}`],
    ['post', `/analyses/${randomUUID()}/stop`],
    ['get', `/days/${randomUUID()}`],
    ['post', `/days/${randomUUID()}/handovers`],
  ];
  const call = (agent: any, method: string, p: string) => agent[method](at(p)) as request.Test;
  test.each(addresses)('%s %s without a session: 401', async (method, p) => {
    const r = await call(request(app), method, p);
    expect([r.status, r.body.code]).toEqual([401, method === 'head' ? undefined : 'NOT_SIGNED_IN']);
  });
  test.each(addresses)('%s %s from another production: 404, nothing leaks', async (method, p) => {
    const r = await call(stranger.agent, method, p).set('x-csrf-token', stranger.csrf);
    expect(r.status).toBe(404);
    expect(JSON.stringify(r.body)).not.toContain('One');
  });
  test('a change without the session’s token is refused', async () => {
    const r = await wrangler.agent.put(at(`/records/set/${randomUUID()}`)).send({});
    expect([r.status, r.body.code]).toEqual([403, 'BAD_CSRF']);
  });
  test('open: health, and only that', async () => {
    await request(app).get('/api/health').expect(200, { status: 'ok' });
    await request(app).get('/api/nothing').expect(401);
    expect((await wrangler.agent.get('/api/nothing')).body.code).toBe('NOT_FOUND');
  });
});

describe('records', () => {
  test('create, change, history; who, when, before, after', async () => {
    const id = randomUUID();
    await put(wrangler, 'set', id, { name: 'Galley', marks: ['K1'] }).expect(201);
    const r = await put(wrangler, 'set', id, { name: 'Galley', marks: ['K1', 'K2'] }, { baseVersion: 1 }).expect(200);
    expect(r.body.record).toMatchObject({ version: 2, updatedBy: 'wrangler' });
    const paged = randomUUID();
    for (let i = 0; i < 45; i += 1) await put(wrangler, 'set', paged, { name: `S${i + 1}`, marks: [] }, { baseVersion: i });
    const versions = async (query: string) => {
      const { body } = await wrangler.agent.get(at(`/records/set/${paged}/history${query}`)).expect(200);
      return [body.changes.map((c: { version: number }) => c.version), body.earlier];
    };
    expect(await versions('')).toEqual([Array.from({ length: 40 }, (_, i) => i + 6), true]);
    expect(await versions('?before=6')).toEqual([[1, 2, 3, 4, 5], false]);
    await wrangler.agent.get(at(`/records/set/${paged}/history?before=x`)).expect(422);
    const h = await wrangler.agent.get(at(`/records/set/${id}/history`)).expect(200);
    expect(h.body.changes).toMatchObject([
      { version: 1, before: null, who: 'wrangler' },
      { version: 2, before: { body: { marks: ['K1'] } }, after: { body: { marks: ['K1', 'K2'] } } },
    ]);
  });
  test('a stale change gets 409 with what is there, and nothing is overwritten', async () => {
    const id = randomUUID();
    await put(wrangler, 'set', id, { name: 'A', marks: [] });
    await put(wrangler, 'set', id, { name: 'B', marks: [] }, { baseVersion: 1 });
    const r = await put(wrangler, 'set', id, { name: 'C', marks: [] }, { baseVersion: 1 }).expect(409);
    expect(r.body).toMatchObject({ code: 'STALE', current: { version: 2, body: { name: 'B' } }, base: { body: { name: 'A' } }, clashes: [{ field: 'name', who: 'wrangler' }] });
    expect((await db.Entry.findByPk(id))!.body).toMatchObject({ name: 'B' });
  });
  test('the same change sent twice, also at once, is done once', async () => {
    const id = randomUUID();
    const mutationId = randomUUID();
    const results = await Promise.all([1, 2, 3, 4].map(() => put(wrangler, 'set', id, { name: 'Once', marks: [] }, { mutationId })));
    expect(results.every((r) => r.status === 200 || r.status === 201)).toBe(true);
    expect(await db.EntryChange.count({ where: { recordId: id } })).toBe(1);
    expect((await db.Entry.findByPk(id))!.version).toBe(1);
  });
  test('of two different changes at once on one version, one wins and one is told', async () => {
    const id = randomUUID();
    await put(wrangler, 'set', id, { name: 'Start', marks: [] });
    const results = await Promise.all(['X', 'Y', 'Z'].map((name) => put(wrangler, 'set', id, { name, marks: [] }, { baseVersion: 1 })));
    expect(results.map((r) => r.status).sort()).toEqual([200, 409, 409]);
    expect(await db.EntryChange.count({ where: { recordId: id } })).toBe(2);
  });
  test('faults name their field; references must be the production’s own', async () => {
    const bad = await put(wrangler, 'set', randomUUID(), { name: '', marks: 'none' }).expect(422);
    expect(bad.body.fields.map((f: { field: string }) => f.field).sort()).toEqual(['marks', 'name']);
    const foreign = randomUUID();
    await db.Entry.create({ id: foreign, productionId: server.ids.p2, kind: 'set', version: 1, deleted: false, body: { name: 'theirs', marks: [] }, updatedAt: new Date(), updatedBy: 'x' });
    const tie = { setId: foreign, from: 'a', to: 'b', length: { typed: '1 m', unit: 'm', valueM: 1, toleranceM: 0.01 }, instrument: 'tape', measuredAt: now };
    expect((await put(wrangler, 'tie', randomUUID(), tie).expect(422)).body.fields[0].field).toBe('setId');
    const fact = { setId: foreign, what: 'height', marks: ['a'], length: tie.length, toleranceM: 0.01, measuredAt: now };
    expect((await put(wrangler, 'fact', randomUUID(), fact).expect(422)).body.fields[0].field).toBe('setId');
    const own = randomUUID();
    await put(wrangler, 'set', own, { name: 'ours', marks: [] }).expect(201);
    await put(wrangler, 'fact', randomUUID(), { ...fact, setId: own }).expect(201);
    await put(wrangler, 'fact', randomUUID(), { ...fact, setId: own, what: 'plumb' }).expect(422);
    const recce = { setupId: randomUUID(), picture: { sha256: 'a'.repeat(64), name: 'set.jpg' }, widthPx: 4000, heightPx: 3000, focal35Mm: 26, lengths: [], detail: null, shotAt: now };
    expect((await put(wrangler, 'recce', randomUUID(), recce).expect(422)).body.fields[0].field).toBe('setupId');
    // what another production has under an id is answered as what nobody has
    for (const id of [foreign, randomUUID()]) {
      const told = await put(wrangler, 'set', id, { name: 'mine', marks: [] }, { baseVersion: 1 });
      expect([told.status, told.body.code, told.body.current]).toEqual([409, 'STALE', null]);
    }
    await put(wrangler, 'unknown', randomUUID(), {}).expect(422);
    await wrangler.agent
      .put(at(`/records/set/${randomUUID()}`))
      .set('x-csrf-token', wrangler.csrf)
      .set('content-type', 'application/json')
      .send('{"broken')
      .expect(422);
  });
  test('a solver reads and does not write', async () => {
    expect((await put(solver, 'set', randomUUID(), { name: 'S', marks: [] })).body.code).toBe('FORBIDDEN');
    await solver.agent.get(at('/records')).expect(200);
  });
  test('deleted means hidden and comes back', async () => {
    const id = randomUUID();
    await put(wrangler, 'set', id, { name: 'Gone', marks: [] });
    await put(wrangler, 'set', id, { name: 'Gone', marks: [] }, { baseVersion: 1, deleted: true }).expect(200);
    const r = await put(wrangler, 'set', id, { name: 'Gone', marks: [] }, { baseVersion: 2, deleted: false }).expect(200);
    expect(r.body.record).toMatchObject({ deleted: false, version: 3 });
  });
});

const W = 960,
  H = 506;
const ROOM = roomShot({ widthPx: W, heightPx: H, focalMm: 22.72, sensorWidthMm: 24, sensorHeightMm: 12.65, frames: 24, noisePx: 0.3 });
const TRACKS = { csv: Buffer.from(ROOM.csv), floor: ROOM.floorMarks.slice(0, 4) };

async function plate(change: object = {}) {
  const fx = (32 * W) / 24;
  const p = renderChequer({
    widthPx: W,
    heightPx: H,
    lens: { fxPx: fx, fyPx: fx, cx: W / 2, cy: H / 2, k1: -0.1, k2: 0, k3: 0, p1: 0, p2: 0 },
    cellSlope: 40 / fx,
    noise: 2,
    offsetCells: [0.3, 0.4],
    ...change,
  });
  return sharp(Buffer.from(p.gray), { raw: { width: W, height: H, channels: 1 } })
    .png()
    .toBuffer();
}

describe('files', () => {
  test('a large file of tracks is read beside everybody else: what is asked meanwhile is answered first', async () => {
    const rows = Array.from({ length: 150_000 }, (_, i) => `t${i % 300},${Math.floor(i / 300)},${(i % 900) + 0.5},${(i % 500) + 0.25}`);
    const order: string[] = [];
    const given = give(wrangler, Buffer.from(['track,frame,x,y', ...rows].join('\n')), 'large.csv', 'tracks').then((r) => {
      order.push('tracks');
      return r;
    });
    // its bytes are here and it is being read
    await new Promise((f) => setTimeout(f, 150));
    await wrangler.agent.get('/api/session').expect(200);
    order.push('session');
    expect((await given).status).toBe(201);
    expect(order).toEqual(['session', 'tracks']);
  });
  test('a picture is kept by its content, its name made safe, a preview served', async () => {
    const bytes = await plate();
    const r = await give(wrangler, bytes, '../../etc/p<l>ate.png', 'plate').expect(201);
    expect(r.body).toMatchObject({ name: 'p_l_ate.png', mime: 'image/png', widthPx: W, heightPx: H });
    expect((await give(wrangler, bytes, 'again.png', 'plate')).body.sha256).toBe(r.body.sha256);
    const preview = await wrangler.agent.get(at(`/files/${r.body.sha256}/preview?width=640`)).expect(200);
    expect((await sharp(preview.body as Buffer).metadata()).width).toBe(640);
    expect((await stranger.agent.get(`/api/productions/${server.ids.p2}/files/${r.body.sha256}/preview`)).status).toBe(404);
  });
  test('an OpenEXR picture is shown too, decoded apart: others are answered meanwhile, and a cut one says its fault', async () => {
    const [w, h] = [1200, 900];
    const bytes = Buffer.from(await writeStMapExr({ widthPx: w, heightPx: h, data: Float32Array.from({ length: 2 * w * h }, (_, i) => (i % 997) / 997) }));
    const { sha256 } = (await give(wrangler, bytes, 'plate.exr', 'plate').expect(201)).body as { sha256: string };
    const order: string[] = [];
    const preview = wrangler.agent.get(at(`/files/${sha256}/preview?width=640`)).then((r) => {
      order.push('preview');
      return r;
    });
    await wrangler.agent.get('/api/health').expect(200);
    order.push('health');
    const shown = await preview;
    expect(order).toEqual(['health', 'preview']);
    expect(shown.headers['content-type']).toBe('image/jpeg');
    expect(await sharp(shown.body as Buffer).metadata()).toMatchObject({ format: 'jpeg', width: 640, height: 480 });
    // its header is whole, so it is taken; what is missing shows when it is looked at
    const half = (await give(wrangler, bytes.subarray(0, bytes.length >> 1), 'half.exr', 'plate').expect(201)).body as { sha256: string };
    const refused = await wrangler.agent.get(at(`/files/${half.sha256}/preview`));
    expect(refused.status).toBe(422);
    expect(refused.body).toMatchObject({ code: 'UNREADABLE_FILE', detail: expect.stringMatching(/half\.exr: is an OpenEXR file whose lines are not where it says/) });
  });
  test.each<[string, () => Promise<Buffer> | Buffer, string, number, RegExp]>([
    ['text named .png', () => Buffer.from('hello'), 'plate', 422, /not a picture/],
    ['a picture as tracks', () => plate(), 'tracks', 422, /not a text file/],
    ['tracks with a fault', () => Buffer.from('track,frame,x,y\na,1,2,three'), 'tracks', 422, /line 2, y/],
    ['no stated use', () => Buffer.from('x'), '', 422, /use must be/],
    ['too large', () => Buffer.alloc(21_000_000), 'tracks', 413, /larger than the 20 MB that are taken/],
  ])('%s is refused and leaves nothing behind', async (_name, bytes, use, status, detail) => {
    const r = await give(wrangler, await bytes(), 'f.png', use);
    expect(r.status).toBe(status);
    expect(r.body.detail).toMatch(detail);
    expect(readdirSync(path.join(server.dir, 'incoming'))).toEqual([]);
  });
  test('what is read piece by piece may be larger than a picture, and is refused before a byte of it is sent where it is too large all the same', async () => {
    const begin = (use: string, bytes: number) => {
      const metadata = Object.entries({ name: 'f.bin', use }).map(([k, v]) => `${k} ${Buffer.from(v).toString('base64')}`).join(','); // prettier-ignore
      return wrangler.agent
        .post(at('/files/uploads'))
        .set({ 'x-csrf-token': wrangler.csrf, 'tus-resumable': '1.0.0', 'upload-length': String(bytes), 'upload-metadata': metadata })
        .send();
    };
    const begun: string[] = [];
    for (const use of ['clip', 'handover']) {
      const r = await begin(use, 25_000_000);
      expect([use, r.status]).toEqual([use, 201]);
      begun.push(r.headers.location as string);
    }
    const large = await begin('clip', 31_000_000);
    expect([large.status, large.body.detail]).toEqual([413, expect.stringMatching(/larger than the 30 MB that are taken/)]);
    const plate = await begin('plate', 25_000_000);
    expect([plate.status, plate.body.detail]).toEqual([413, expect.stringMatching(/larger than the 20 MB that are taken/)]);
    expect((await begin('constructor', 10)).status).toBe(422);
    for (const location of begun) await wrangler.agent.delete(location).set({ 'x-csrf-token': wrangler.csrf, 'tus-resumable': '1.0.0' });
  });
});

describe('analyses and handover', () => {
  const id = {
    body: randomUUID(),
    mode: randomUUID(),
    lens: randomUUID(),
    reducer: randomUUID(),
    pack: randomUUID(),
    plate: randomUUID(),
    set: randomUUID(),
    day: randomUUID(),
    setup: randomUUID(),
    take: randomUUID(),
    bare: randomUUID(),
  };
  const pack = { camera: 'A', bodyId: id.body, modeId: id.mode, lensId: id.lens, adapterId: null as string | null, focalMm: 32 };
  const take = {
    setupId: id.setup,
    slate: '41A',
    take: 1,
    packageId: id.pack,
    focalMm: 32,
    focusM: 3,
    height: { typed: '1.4 m', unit: 'm', valueM: 1.4, toleranceM: 0.01, takenAt: 'lens axis', offsetM: 0 },
    heightFrame: 1,
    circled: true,
    notes: '',
    tracks: null as object | null,
    loggedAt: now,
    carried: [],
  };
  const start = async (kind: string, subjectId: string, options: object = {}) =>
    wrangler.agent.post(at('/analyses')).set('x-csrf-token', wrangler.csrf).send({ id: randomUUID(), kind, subjectId, options });
  const finished = async (analysisId: string) => {
    for (let i = 0; i < 120; i += 1) {
      const r = await wrangler.agent.get(at(`/analyses/${analysisId}`));
      if (!['queued', 'running'].includes(r.body.status)) return r.body;
      await new Promise((f) => setTimeout(f, 250));
    }
    throw new Error('the analysis did not finish');
  };
  beforeAll(async () => {
    await put(wrangler, 'body', id.body, { name: 'Tarvik', modes: [{ id: id.mode, name: '1K', widthPx: W, heightPx: H, sensorWidthMm: 12, sensorHeightMm: 6.325, fps: 24 }] }).expect(201);
    await put(wrangler, 'lens', id.lens, { name: 'Orrinel 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: '' }).expect(201);
    await put(wrangler, 'adapter', id.reducer, { name: 'Reducer', factor: 0.71 }).expect(201);
    await put(wrangler, 'package', id.pack, { ...pack, focalMm: 16 }).expect(201);
    await put(wrangler, 'set', id.set, { name: 'Galley', marks: [] });
    await put(wrangler, 'day', id.day, { name: 'Day 1', date: '2026-01-01' });
    await put(wrangler, 'setup', id.setup, {
      dayId: id.day,
      setId: id.set,
      name: 'Dolly',
      scene: '41',
      order: 1,
      levelMarks: TRACKS.floor,
      originMark: TRACKS.floor[0],
      headingMarks: [TRACKS.floor[0], TRACKS.floor[1]],
    });
    const tracks = (await give(wrangler, TRACKS.csv, 'tracks.csv', 'tracks').expect(201)).body;
    // the mode is 12 mm wide where the simulated one was 24: focal lengths are halved with it
    await put(wrangler, 'take', id.take, { ...take, focalMm: 16, tracks: { sha256: tracks.sha256, name: 'tracks.csv' } }).expect(201);
    await put(wrangler, 'take', id.bare, { ...take, take: 2, focalMm: 16, height: null }).expect(201);
  });

  test('a plate is measured by a job', async () => {
    const file = (await give(wrangler, await plate(), 'grid.png', 'plate')).body;
    await put(wrangler, 'plate', id.plate, { lensId: id.lens, packageId: id.pack, picture: { sha256: file.sha256, name: 'grid.png' }, focalMm: 16, focusM: null, cellM: 0.04, shotAt: now }).expect(
      201,
    );
    const r = await start('grid', id.plate);
    expect(r.status).toBe(202);
    const done = await finished(r.body.id);
    expect(done).toMatchObject({ status: 'done', progress: 1, outcome: { kind: 'grid', widthPx: W, report: { status: 'usable' } } });
    expect(done.outcome.corners.length).toBe(done.outcome.report.plates[0].corners);
    expect((await wrangler.agent.get(at('/analyses'))).body.analyses.find((a: { id: string }) => a.id === r.body.id).outcome.corners).toEqual([]);
  });
  test('corners that a person took out stay out, a measured distance tells the focal length', async () => {
    const whole = (await wrangler.agent.get(at('/analyses'))).body.analyses.find((a: { subjectId: string }) => a.subjectId === id.plate);
    const { corners } = (await wrangler.agent.get(at(`/analyses/${whole.id}`))).body.outcome;
    const stored = (await wrangler.agent.get(at('/records'))).body.records.find((r: { id: string }) => r.id === id.plate);
    // the plate's cells are 40 px at fx 1280: 0.04 m at 1.28 m from the pupil, which is taken 80 mm before the mark
    const corrected = { ...stored.body, dropped: corners.slice(0, 6).map(([, , x, y]: number[]) => ({ x, y })), chartDistance: { typed: '1.36 m', unit: 'm', valueM: 1.36, toleranceM: 0.01 } };
    await put(wrangler, 'plate', id.plate, corrected, { baseVersion: stored.version }).expect(200);
    const done = await finished((await start('grid', id.plate)).body.id);
    expect(done.outcome.corners).toHaveLength(corners.length - 6);
    expect(done.outcome.report.focalFromDistance.mm).toBeCloseTo(16, 0);
    expect(done.outcome.report.focalFromDistance.sigmaMm).toBeGreaterThan(0.3); // the pupil is not known
  });
  test('maps and the undistorted plate are made by a job and can be saved by the production’s people only', async () => {
    const r = await start('lens-files', id.plate, { mapFormat: 'tiff' });
    expect(r.status).toBe(202);
    const done = await finished(r.body.id);
    expect(done).toMatchObject({ status: 'done', outcome: { kind: 'lens-files' } });
    expect(done.outcome.roundTripPx).toBeLessThan(0.01);
    const names = done.outcome.files.map((f: { name: string }) => f.name);
    expect(names).toEqual(['Orrinel_32_16mm_undistort.tif', 'Orrinel_32_16mm_redistort.tif', 'Orrinel_32_16mm_undistorted.png']);
    const saved = await wrangler.agent.get(at(`/files/${done.outcome.files[2].sha256}`)).expect(200);
    expect(saved.headers['content-disposition']).toBe('attachment; filename=Orrinel_32_16mm_undistorted.png');
    const meta = await sharp(saved.body as Buffer).metadata();
    expect(meta.width).toBeGreaterThan(W);
    await stranger.agent.get(at(`/files/${done.outcome.files[2].sha256}`)).expect(404);
    // the plate's own measuring is not hidden by it
    const list = (await wrangler.agent.get(at('/analyses'))).body.analyses.filter((a: { subjectId: string }) => a.subjectId === id.plate);
    expect(list.map((a: { kind: string }) => a.kind).sort()).toEqual(['grid', 'lens-files']);
    expect((await start('lens-files', randomUUID())).status).toBe(404);
  });
  test('a picture that does not fit its mode is a finished refusal, not a crash', async () => {
    const small = await sharp(await plate())
      .resize(480)
      .png()
      .toBuffer();
    const file = (await give(wrangler, small, 'small.png', 'plate')).body;
    const plateId = randomUUID();
    await put(wrangler, 'plate', plateId, { lensId: id.lens, packageId: id.pack, picture: { sha256: file.sha256, name: 'small.png' }, focalMm: 16, focusM: null, cellM: 0.04, shotAt: now });
    const done = await finished((await start('grid', plateId)).body.id);
    expect((await start('lens-files', plateId)).body).toMatchObject({ code: 'NOT_READY', detail: expect.stringContaining('measure it first') });
    expect(done).toMatchObject({ status: 'failed', error: expect.stringMatching(/480 × 253, the recording mode says 960 × 506/) });
  });
  test('a test solve contradicts the record; corrected, it agrees', async () => {
    const first = await finished((await start('solve', id.take, { focalMode: 'free' })).body.id);
    expect(first).toMatchObject({ status: 'done', outcome: { kind: 'solve', reconcile: { verdict: 'contradicts' } } });
    expect(first.outcome.reconcile.items[0].causes[0].cause).toBe('forgotten-reducer');
    await put(wrangler, 'package', id.pack, { ...pack, focalMm: 16, adapterId: id.reducer }, { baseVersion: 1 }).expect(200);
    const second = await finished((await start('solve', id.take, { focalMode: 'free' })).body.id);
    expect(second.outcome.reconcile.items.find((i: { quantity: string }) => i.quantity === 'focalLength').verdict).toBe('agrees');
  });
  test('tracks that count from the middle of a half-size picture are asked about, not solved; said so, they are the same take', async () => {
    const [header, ...rows] = TRACKS.csv.toString().trim().split('\n');
    const half = rows.map((row) => {
      const [track, frame, x, y] = row.split(',');
      return [track, frame, Number(x) / 2 - W / 4, H / 4 - Number(y) / 2].join(',');
    });
    const file = (await give(wrangler, Buffer.from([header.split(',').slice(0, 4).join(','), ...half].join('\n')), 'half.csv', 'tracks').expect(201)).body;
    const other = randomUUID();
    const body = { ...take, take: 9, focalMm: 16, height: null, tracks: { sha256: file.sha256, name: 'half.csv' } };
    await put(wrangler, 'take', other, body).expect(201);
    const asked = await finished((await start('solve', other, { focalMode: 'free' })).body.id);
    expect(asked).toMatchObject({ status: 'done', outcome: { reconcile: null, solve: { status: 'failed', question: { what: 'middle' } } } });
    // a solver may say how they count, as he may give them
    const counted = { from: 'middle', yUp: true, widthPx: W / 2, heightPx: H / 2, addFrames: 0 };
    expect(asked.outcome.solve.question.choices).toContainEqual(counted);
    await put(solver, 'take', other, { ...body, tracksCounted: counted }, { baseVersion: 1 }).expect(200);
    const read = await finished((await start('solve', other, { focalMode: 'free' })).body.id);
    const before = (await wrangler.agent.get(at('/analyses'))).body.analyses.find((a: { subjectId: string; kind: string }) => a.subjectId === id.take && a.kind === 'solve');
    expect(read.outcome.solve.status).toBe('solved');
    expect(Math.abs(read.outcome.solve.focalMm - before.outcome.solve.focalMm)).toBeLessThan(0.01);
    await put(wrangler, 'take', other, { ...body, tracksCounted: counted }, { baseVersion: 2, deleted: true }).expect(200);
  });
  test('what of the lens was asked for is found, and a note makes nothing of it old', async () => {
    const asked = await finished((await start('solve', id.take, { focalMode: 'free', findCentre: true, findSqueeze: true })).body.id);
    const { principalPx, squeeze } = asked.outcome.solve.found;
    expect(Math.abs(principalPx.x - W / 2)).toBeLessThan(4 * principalPx.sigmaX);
    expect(Math.abs(squeeze.value - 1)).toBeLessThan(4 * squeeze.sigma);
    expect(asked.outcome.setup).toMatchObject({ squeezeFit: { mode: 'free' } });
    const { version, body } = (await wrangler.agent.get(at('/records')).expect(200)).body.records.find((r: { id: string }) => r.id === id.take);
    await put(wrangler, 'take', id.take, { ...body, notes: 'a second look' }, { baseVersion: version }).expect(200);
    const listed = (await wrangler.agent.get(at('/analyses'))).body.analyses.find((a: { id: string }) => a.id === asked.id);
    expect(listed.stale ?? null).toBeNull();
    await start('solve', id.take, { findEverything: true }).then((r) => expect(r.status).toBe(422));
  });
  test('what moved is said: an object before a still camera is solved as one, and stays one until somebody says otherwise', async () => {
    const asked = await finished((await start('solve', id.take, { focalMode: 'held', motion: 'object' })).body.id);
    expect(asked.outcome.setup).toMatchObject({ motion: 'object', focal: { mode: 'held' } });
    const { motion, object, frames } = asked.outcome.solve;
    expect([motion, object.length]).toEqual(['object', frames.length]);
    // the camera's height puts the object into the set, and nothing checks it
    expect(asked.outcome.reconcile.items.some((i: { quantity: string }) => i.quantity === 'cameraHeight')).toBe(false);
    const listed = (await wrangler.agent.get(at('/analyses'))).body.analyses.find((a: { id: string }) => a.id === asked.id);
    expect(listed.stale ?? null).toBeNull();
    await start('solve', id.take, { motion: 'sideways' }).then((r) => expect(r.status).toBe(422));
    await finished((await start('solve', id.take, { focalMode: 'free' })).body.id);
  });
  test('an answer of an older record says so: for what a solve reads, and not for a note', async () => {
    const staleOf = async (subject: string) =>
      (await wrangler.agent.get(at('/analyses'))).body.analyses.find((a: { subjectId: string; kind: string }) => a.subjectId === subject && a.kind !== 'lens-files')?.stale;
    const stored = async (what: string) => (await wrangler.agent.get(at('/records'))).body.records.find((r: { id: string }) => r.id === what);
    expect(await staleOf(id.take)).toBeNull();
    // the plate was measured before the reducer was written down: its lens is normalised by another focal length
    expect(await staleOf(id.plate)).toMatchObject({ who: 'wrangler', what: 'package A-cam' });
    const before = await stored(id.take);
    await put(wrangler, 'take', id.take, { ...before.body, notes: 'Nice one.' }, { baseVersion: before.version }).expect(200);
    expect(await staleOf(id.take)).toBeNull();
    const height = { typed: '2.5 m', unit: 'm', valueM: 2.5, toleranceM: 0.01, takenAt: 'lens axis', offsetM: 0 };
    await put(wrangler, 'take', id.take, { ...before.body, height }, { baseVersion: before.version + 1 }).expect(200);
    expect(await staleOf(id.take)).toMatchObject({ who: 'wrangler', what: expect.stringMatching(/^take .* take 1$/) });
    const { missing } = (await wrangler.agent.get(at(`/days/${id.day}`)).expect(200)).body;
    expect(missing.map((m: { what: string }) => m.what)).toContainEqual(expect.stringMatching(/^a test solve of the record as it is/));
    await put(wrangler, 'take', id.take, before.body, { baseVersion: before.version + 2 }).expect(200);
    expect(await staleOf(id.take)).toBeNull();
  });
  test('what is missing is said before anything starts; the same request twice is one job', async () => {
    expect((await start('solve', id.bare)).body).toMatchObject({ code: 'NOT_READY', detail: expect.stringMatching(/no tracks/) });
    expect((await start('solve', randomUUID())).status).toBe(404);
    const body = { id: randomUUID(), kind: 'grid', subjectId: id.plate };
    const send = () => wrangler.agent.post(at('/analyses')).set('x-csrf-token', wrangler.csrf).send(body);
    expect((await send()).status).toBe(202);
    expect((await send()).status).toBe(200);
    await finished(body.id);
  });
  test('a job that waits is stopped at once, and what was known before it stands', async () => {
    const listed = async (subjectId: string) =>
      ((await wrangler.agent.get(at('/analyses')).expect(200)).body.analyses as Analysis[]).filter((a) => a.subjectId === subjectId && a.kind === 'solve').map((a) => [a.id, a.status]);
    const [before] = await listed(id.take);
    expect(before[1]).toBe('done');
    const row = await db.AnalysisRow.create({
      id: randomUUID(),
      productionId: server.ids.p1,
      kind: 'solve',
      subjectId: id.take,
      status: 'queued',
      input: {} as never,
      outcome: null,
      error: null,
      finishedAt: null,
    });
    const stopped = await wrangler.agent
      .post(at(`/analyses/${row.id}/stop`))
      .set('x-csrf-token', wrangler.csrf)
      .send({});
    expect(stopped.body.status).toBe('stopped');
    expect(await listed(id.take)).toEqual([before]);
    // of what was never computed it is said that it was stopped
    await row.update({ subjectId: id.bare });
    expect(await listed(id.bare)).toEqual([[row.id, 'stopped']]);
    await row.destroy();
  });
  test('the handover holds what it lists, and its camera is valid glTF', async () => {
    const plan = (await wrangler.agent.get(at(`/days/${id.day}`)).expect(200)).body;
    expect(plan.missing).toEqual(expect.arrayContaining([expect.objectContaining({ take: '41A take 2', what: 'camera height' })]));
    const r = await wrangler.agent
      .post(at(`/days/${id.day}/handovers`))
      .set('x-csrf-token', wrangler.csrf)
      .send({ id: randomUUID(), to: 'Post', supplementTo: null })
      .buffer(true)
      .parse((res, done) => {
        const parts: Buffer[] = [];
        res.on('data', (d: Buffer) => parts.push(d));
        res.on('end', () => done(null, Buffer.concat(parts)));
      })
      .expect(200);
    const zip = await JSZip.loadAsync(r.body as Buffer);
    const names = Object.keys(zip.files).filter((n) => !zip.files[n].dir);
    expect(names.sort()).toEqual([...plan.files.map((f: { path: string }) => f.path), 'CONTENTS.txt', 'MANIFEST.sha256'].sort());
    const glb = await zip.file('takes/41A-take-1/camera.glb')!.async('uint8array');
    expect((await validator.validateBytes(glb)).issues.numErrors).toBe(0);
    expect((await zip.file('takes/41A-take-1/camera.csv')!.async('text')).split('\n')).toHaveLength(26);
    expect(JSON.parse(await zip.file(names.find((n) => n.endsWith('.distortion.json'))!)!.async('text')).distortion.model).toBe('radial');
    expect(await zip.file('readings.csv')!.async('text')).toContain('1.4 m');
    // from the zip alone: camera and lens are rebuilt, and the tracks lie where the solve says that they do
    const beside = (file: string) => zip.file(`takes/41A-take-1/${file}`)!.async('text');
    const [camera, points, solve] = [await beside('camera.csv'), await beside('points.csv'), await beside('solve.json')];
    const blind = distanceOfTracks({ camera, points, solve }, TRACKS.csv.toString());
    expect(blind.count).toBeGreaterThan(300);
    expect(JSON.parse(solve).facts.distortion).toMatchObject({ model: 'radial' });
    expect(Math.abs(blind.rmsPx - JSON.parse(solve).rmsPx)).toBeLessThan(0.01);
    // and by our own check: each file is there, unchanged, and says what the others say
    const entries = (z: typeof zip) => ({ names: Object.keys(z.files).filter((n) => !z.files[n].dir), read: (name: string) => z.file(name)!.async('nodebuffer') });
    const checked = await checkHandover(entries(zip));
    expect(checked.filter((f) => f.status !== 'good')).toEqual([]);
    expect(checked.find((f) => f.path === 'takes/41A-take-1/camera.glb')!.message).toBe('24 frames, as in the solve');
    // four faults, each named
    const list = await zip.file('MANIFEST.sha256')!.async('text');
    const listed = async (name: string, text: string) => {
      zip.file(name, text);
      return list.replace(new RegExp(`^[0-9a-f]{64} {2}${name.replace(/[.]/g, '\\.')}$`, 'm'), `${createHash('sha256').update(text).digest('hex')}  ${name}`);
    };
    zip.file(
      'MANIFEST.sha256',
      await listed(
        'takes/41A-take-1/camera.csv',
        camera.replace(/^(\d+),([-\d.e]+),/m, (_, frame: string, x: string) => `${frame},${Number(x) + 0.5},`),
      ),
    );
    zip.file('takes.csv', 'other');
    zip.remove('readings.csv');
    zip.file('extra.txt', 'x');
    expect((await checkHandover(entries(zip))).filter((f) => f.status !== 'good')).toEqual(
      expect.arrayContaining([
        { path: 'takes/41A-take-1/camera.csv', status: 'wrong', message: expect.stringMatching(/^frame \d+ stands elsewhere than in the solve beside it$/) },
        { path: 'takes.csv', status: 'changed', message: 'is not what was handed over' },
        { path: 'readings.csv', status: 'missing', message: expect.any(String) },
        { path: 'extra.txt', status: 'unlisted', message: expect.any(String) },
      ]),
    );
  });
});

test('several processes may open the queue of a new database at the same moment', async () => {
  const fresh = await createDatabase('queue');
  const opened = await Promise.all([1, 2, 3].map(() => openQueue(fresh)));
  await Promise.all(opened.map((b) => b.stop({ graceful: false, timeout: 1000 })));
  expect(opened).toHaveLength(3);
});
