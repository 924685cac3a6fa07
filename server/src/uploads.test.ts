import type { Space } from '@mesure/contract';
import { renderChequer } from '@mesure/synthetic';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, statfsSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import sharp from 'sharp';
import { spaceOf } from './files/space';
import { startTestServer, type Person, type TestServer } from './test-server';
import { uploadsOf } from './test-uploads';

let server: TestServer, wrangler: Person, solver: Person;
let picture: Buffer;
const incoming = () => readdirSync(path.join(server.dir, 'incoming'));
const { begin: create, piece, ask, giveUp } = uploadsOf(() => server);

beforeAll(async () => {
  server = await startTestServer({ worker: false });
  wrangler = await server.signIn('wrangler');
  solver = await server.signIn('solver');
  const fx = 600;
  const p = renderChequer({ widthPx: 480, heightPx: 256, lens: { fxPx: fx, fyPx: fx, cx: 240, cy: 128, k1: -0.1, k2: 0, k3: 0, p1: 0, p2: 0 }, cellSlope: 30 / fx });
  picture = await sharp(Buffer.from(p.gray), { raw: { width: 480, height: 256, channels: 1 } })
    .png()
    .toBuffer();
});
afterAll(() => server?.stop());

test('a picture in pieces goes on where it was cut off, and the last piece is answered with what it is', async () => {
  const made = await create(wrangler, picture.length, { name: 'grid 32 mm.png', use: 'plate' }).expect(201);
  const address = made.headers.location as string;
  expect(address).toMatch(/^\/api\/productions\/[0-9a-f-]+\/files\/uploads\//);
  const half = picture.length >> 1;
  await piece(wrangler, address, 0, picture.subarray(0, half)).expect(204);
  // the phone comes back and asks how far it got; a piece at the wrong place is refused
  expect((await ask(wrangler, address).expect(200)).headers['upload-offset']).toBe(String(half));
  expect((await piece(wrangler, address, half + 5, picture.subarray(half + 5))).status).toBe(409);
  const done = await piece(wrangler, address, half, picture.subarray(half)).expect(201);
  expect(done.body).toMatchObject({ name: 'grid 32 mm.png', mime: 'image/png', widthPx: 480, heightPx: 256, sizeBytes: picture.length });
  expect(await server.store.read(done.body.sha256)).toEqual(picture);
  expect(incoming()).toEqual([]);
});

test('nobody else sees an upload or goes on with it', async () => {
  const address = (await create(wrangler, picture.length, { name: 'a.png', use: 'plate' })).headers.location as string;
  expect((await ask(solver, address)).status).toBe(404);
  const r = await piece(solver, address, 0, picture);
  expect([r.status, r.body.code]).toEqual([404, 'NOT_FOUND']);
  // it is still the wrangler's
  expect((await ask(wrangler, address).expect(200)).headers['upload-offset']).toBe('0');
  await giveUp(wrangler, address).expect(204);
  expect(incoming()).toEqual([]);
});

test('a name cannot lead out of the folder', async () => {
  for (const id of ['..%2f..%2fetc%2fpasswd', `${server.ids.p1}_${server.ids.wrangler}_..%2f..%2fx`]) {
    expect((await ask(wrangler, server.at(`/files/uploads/${id}`))).status).toBe(404);
  }
});

test('two gigabytes are refused before a byte is sent', async () => {
  const r = await create(wrangler, 2 * 1024 ** 3, { name: 'big.mov', use: 'plate' });
  expect(r.status).toBe(413);
  expect(r.body).toMatchObject({ code: 'TOO_LARGE', detail: expect.stringContaining('20 MB') });
  expect(incoming()).toEqual([]);
});

test('of a clip one frame is kept, as a picture with the time in its name', async () => {
  const clip = path.join(server.dir, 'clip.mp4');
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'testsrc=s=320x180:r=25:d=2', '-c:v', 'mpeg4', '-y', clip]);
  const bytes = readFileSync(clip);
  const r = await server.give(wrangler, bytes, 'grid.mp4', 'plate', { atS: '1.2' }).expect(201);
  expect(r.body).toMatchObject({ name: 'grid.mp4 1.20 s.png', mime: 'image/png', widthPx: 320, heightPx: 180 });
  expect((await sharp(await server.store.read(r.body.sha256)).metadata()).format).toBe('png');
  const late = await server.give(wrangler, bytes, 'grid.mp4', 'plate', { atS: '9' });
  expect([late.status, late.body.detail]).toEqual([422, expect.stringContaining('there is no frame at 9.00 s')]);
  const wrong = await server.give(wrangler, bytes, 'grid.mp4', 'plate', { atS: 'soon' });
  expect([wrong.status, wrong.body.code]).toEqual([422, 'INVALID']);
  expect(incoming()).toEqual([]);
});

test.each<[string, () => Buffer | Promise<Buffer>, RegExp]>([
  ['a truncated picture header', () => picture.subarray(0, 20), /not a picture/],
  [
    'one pixel',
    () =>
      sharp({ create: { width: 1, height: 1, channels: 3, background: '#000' } })
        .png()
        .toBuffer(),
    /1 × 1/,
  ],
  [
    'printing colours',
    () =>
      sharp({ create: { width: 99, height: 99, channels: 3, background: '#888' } })
        .toColourspace('cmyk')
        .jpeg()
        .toBuffer(),
    /printing colours/,
  ],
  ['a clip that is none', () => Buffer.concat([Buffer.from([0, 0, 0, 20]), Buffer.from('ftypqt  0000')]), /cannot be read as a clip|without a picture/],
])('%s is refused in words, and nothing is left behind', async (_name, bytes, message) => {
  const r = await server.give(wrangler, await bytes(), 'f.png', 'plate');
  const problem = r.body as { status: number; code: string; detail: string };
  expect([r.status, problem.code]).toEqual([422, 'UNREADABLE_FILE']);
  expect(problem.detail).toMatch(message);
  expect(incoming()).toEqual([]);
});

describe('room', () => {
  const space = async (who: Person) => (await who.agent.get(server.at('/space')).expect(200)).body as Space;
  const drop = async (addresses: readonly string[]) => {
    for (const address of addresses) await giveUp(wrangler, address).expect(204);
  };
  const begin = (size: number, who = wrangler) => create(who, size, { name: 'a.png', use: 'plate' });

  test('what is begun counts; what does not fit is refused before a byte is sent, and fits when there is room again', async () => {
    const before = await space(solver);
    expect(before).toMatchObject({ begunBytes: 0, limitBytes: 200_000_000 });
    const addresses: string[] = [];
    // ten of 19 MB are begun; the eleventh would be over 200 MB
    for (let i = 0; i < 10; i += 1) addresses.push((await begin(19_000_000).expect(201)).headers.location as string);
    expect(await space(wrangler)).toMatchObject({ begunBytes: 190_000_000, usedBytes: before.usedBytes });
    const refused = await begin(19_000_000).expect(413);
    expect([refused.body.code, refused.body.detail]).toEqual(['NO_ROOM', expect.stringMatching(/take 0\.2 GB of the 0\.2 GB that it may have; nothing of this one was kept/)]);
    await drop(addresses.splice(0, 2));
    addresses.push((await begin(19_000_000).expect(201)).headers.location as string);
    await drop(addresses);
    expect(await space(wrangler)).toMatchObject({ begunBytes: 0 });
    const more = Buffer.from('track,frame,x,y\n1,1,1,1\n1,2,2,2\n');
    await server.give(wrangler, more, 'room.csv', 'tracks').expect(201);
    expect((await space(wrangler)).usedBytes).toBe(before.usedBytes + more.length);
  });

  test('nobody begins more than forty; others go on', async () => {
    const addresses: string[] = [];
    for (let i = 0; i < 40; i += 1) addresses.push((await begin(1000).expect(201)).headers.location as string);
    expect((await begin(1000).expect(413)).body.detail).toMatch(/40 of your uploads are begun and not at their end/);
    const supervisor = await server.signIn('supervisor');
    const other = (await begin(1000, supervisor).expect(201)).headers.location as string;
    await giveUp(supervisor, other).expect(204);
    await drop(addresses);
    expect(incoming()).toEqual([]);
  });

  test('a disk that is nearly full: an upload is refused, and the ones that nobody went on with longest go first', async () => {
    const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-full-'));
    const { bavail, bsize } = statfsSync(dir);
    const gone: string[] = [];
    const forget = async (id: string) => void gone.push(id);
    const full = spaceOf(server.db, dir, { productionBytes: 1e15, begunByPerson: 40, reserveBytes: 2 * bavail * bsize }, forget);
    const roomy = spaceOf(server.db, dir, { productionBytes: 1e15, begunByPerson: 40, reserveBytes: 0 }, forget);
    const who = { productionId: server.ids.p1, userId: server.ids.wrangler };
    await expect(full.begin('refused', who, 1000)).rejects.toMatchObject({ code: 'NO_ROOM', detail: expect.stringContaining('disk has no room left') });
    for (const [id, ageS] of [
      ['old', 7200],
      ['older', 90_000],
      ['now', 10],
    ] as const) {
      await roomy.begin(id, who, 5000);
      await server.db.sequelize.query(`update begun_uploads set touched_at = now() - :ageS * interval '1 second' where id = :id`, { replacements: { id, ageS } });
    }
    const week = 7 * 24 * 3_600_000;
    expect(await roomy.makeRoom(week)).toEqual([]);
    expect(await full.makeRoom(week)).toEqual(['older', 'old']);
    expect(gone).toEqual(['older', 'old']);
    expect((await roomy.of(who.productionId)).begunBytes).toBe(5000);
    // a week later nobody goes on with it
    expect(await roomy.makeRoom(5000)).toEqual(['now']);
    rmSync(dir, { recursive: true });
  });
});
