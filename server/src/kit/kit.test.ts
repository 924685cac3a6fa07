import { randomUUID } from 'node:crypto';
import { readCoefficients, writeCoefficients } from '@mesure/formats/lens';
import JSZip from 'jszip';
import sharp from 'sharp';
import { startTestServer, type Person, type TestServer } from '../test-server';

let server: TestServer, wrangler: Person, stranger: Person, picture: { sha256: string; name: string };
const id: Record<string, string> = Object.fromEntries(['body', 'mode', 'lens', 'zoom', 'adapter', 'pack', 'plate'].map((k) => [k, randomUUID()]));
const mode = { id: id.mode, name: 'open', widthPx: 960, heightPx: 480, sensorWidthMm: 12, sensorHeightMm: 6, fps: 24 };
const lens = { name: 'Orrinel 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: 'OR-3207' };
beforeAll(async () => {
  server = await startTestServer({ worker: false });
  [wrangler, stranger] = await Promise.all([server.signIn('wrangler'), server.signIn('stranger')]);
  const png = await sharp({ create: { width: 960, height: 480, channels: 3, background: '#888' } })
    .png()
    .toBuffer();
  picture = (await server.give(wrangler, png, 'grid.png', 'plate').expect(201)).body;
  const put = (kind: string, of: string, body: object) => server.put(wrangler, kind, id[of], body).expect(201);
  await put('body', 'body', { name: 'Tarvik', modes: [mode] });
  await put('lens', 'lens', lens);
  await put('adapter', 'adapter', { name: 'reducer', factor: 0.71 });
  await put('package', 'pack', { camera: 'A', bodyId: id.body, modeId: id.mode, lensId: id.lens, adapterId: null, focalMm: 32 });
  await put('plate', 'plate', {
    lensId: id.lens,
    packageId: id.pack,
    picture: { sha256: picture.sha256, name: 'grid.png' },
    focalMm: 32,
    focusM: 2.5,
    cellM: 0.04,
    shotAt: '2026-11-26T09:00:00.000Z',
  });
  await server.db.AnalysisRow.create({
    id: randomUUID(),
    productionId: server.ids.p1,
    kind: 'grid',
    subjectId: id.plate,
    status: 'done',
    progress: 1,
    stage: 'done',
    input: { kind: 'grid' } as never,
    outcome: { kind: 'grid', report: { sentence: 'good to use' } } as never,
    error: null,
    finishedAt: new Date(),
  });
});
afterAll(() => server?.stop());

const inOne = (who: Person, address: string, body: object) => who.agent.post(server.at(address)).set('x-csrf-token', who.csrf).send(body);
const inTwo = (who: Person, address: string, body: object) => who.agent.post(`/api/productions/${server.ids.p2}${address}`).set('x-csrf-token', who.csrf).send(body);
const recordsOfTwo = async () => (await stranger.agent.get(`/api/productions/${server.ids.p2}/records`)).body.records as { id: string; kind: string; body: Record<string, unknown> }[];
const kitFile = async (): Promise<Buffer> =>
  (
    await wrangler.agent
      .get(server.at('/kit.zip'))
      .buffer(true)
      .parse((res, done) => {
        const chunks: Buffer[] = [];
        res.on('data', (d: Buffer) => chunks.push(d)).on('end', () => done(null, Buffer.concat(chunks)));
      })
      .expect(200)
  ).body as Buffer;
const give = (bytes: Buffer, name = 'kit.zip') =>
  stranger.agent
    .post(`/api/productions/${server.ids.p2}/files/uploads`)
    .set({
      'x-csrf-token': stranger.csrf,
      'tus-resumable': '1.0.0',
      'upload-length': String(bytes.length),
      'upload-metadata': `name ${Buffer.from(name).toString('base64')},use ${Buffer.from('kit').toString('base64')}`,
      'content-type': 'application/offset+octet-stream',
    })
    .send(bytes);

test('another production’s kit is nobody’s who is not in it', async () => {
  expect((await inTwo(stranger, '/kit/look', { productionId: server.ids.p1 })).status).toBe(404);
  expect((await inOne(wrangler, '/kit/look', { sha256: 'a'.repeat(64) })).status).toBe(404);
});

test('a kit file of one production comes into another: seen first, then brought in, its lens still measured', async () => {
  const file = (await give(await kitFile()).expect(201)).body;
  const lines = (await inTwo(stranger, '/kit/look', { sha256: file.sha256 }).expect(200)).body.lines;
  expect(lines.map((l: { kind: string; what: string }) => [l.kind, l.what])).toEqual([
    ['body', 'new'],
    ['lens', 'new'],
    ['adapter', 'new'],
    ['package', 'new'],
    ['plate', 'new'],
  ]);
  expect(await recordsOfTwo()).toEqual([]);
  await inTwo(stranger, '/kit/bring', { sha256: file.sha256 }).expect(201);
  const made = await recordsOfTwo();
  const of = (kind: string) => made.find((r) => r.kind === kind)!;
  expect(made.map((r) => r.kind).sort()).toEqual(['adapter', 'body', 'lens', 'package', 'plate']);
  // under ids of their own, referring to each other
  expect(made.some((r) => Object.values(id).includes(r.id))).toBe(false);
  expect(of('plate').body).toMatchObject({ lensId: of('lens').id, packageId: of('package').id, picture: { sha256: picture.sha256 } });
  expect(of('package').body).toMatchObject({ bodyId: of('body').id, modeId: id.mode, until: expect.any(String) });
  const analyses = (await stranger.agent.get(`/api/productions/${server.ids.p2}/analyses`)).body.analyses;
  expect(analyses).toMatchObject([{ subjectId: of('plate').id, status: 'done', outcome: { report: { sentence: 'good to use' } } }]);
  await stranger.agent.get(`/api/productions/${server.ids.p2}/files/${picture.sha256}`).expect(200);
});

test('brought in again nothing is new; the same number on another lens comes in beside it', async () => {
  const file = (await give(await kitFile()).expect(201)).body;
  const again = (await inTwo(stranger, '/kit/bring', { sha256: file.sha256 }).expect(201)).body.lines;
  expect(again.every((l: { what: string }) => l.what === 'same')).toBe(true);
  expect(await recordsOfTwo()).toHaveLength(5);
  await server.put(wrangler, 'lens', id.lens, { ...lens, minFocalMm: 35, maxFocalMm: 35, name: 'Orrinel 35' }, { baseVersion: 1 }).expect(200);
  const other = (await give(await kitFile(), 'later.zip').expect(201)).body;
  const lines = (await inTwo(stranger, '/kit/bring', { sha256: other.sha256 }).expect(201)).body.lines;
  expect(lines.find((l: { kind: string }) => l.kind === 'lens')).toMatchObject({ what: 'different', note: expect.stringMatching(/here it is 32 mm/) });
  const lenses = (await recordsOfTwo()).filter((r) => r.kind === 'lens').map((r) => r.body.name);
  expect(lenses.sort()).toEqual(['Orrinel 32', 'Orrinel 35 (brought in)']);
});

test('a plate whose distortion was typed, or came from a table, goes along as its coefficients', async () => {
  const given = { what: 'coefficients', formula: 'polynomial', over: 'focal length', direction: 'undistorted to distorted', k: [-0.05], p: [0, 0], center: [0, 0], focalMm: null };
  const typed = (await server.give(wrangler, Buffer.from(writeCoefficients(given as never)), 'house 32 mm.json', 'lens').expect(201)).body as { sha256: string; name: string };
  await server.put(wrangler, 'plate', randomUUID(), { lensId: id.lens, packageId: id.pack, picture: { sha256: typed.sha256, name: typed.name }, focalMm: 32, focusM: null, cellM: null, given, shotAt: '2026-11-26T09:00:00.000Z' }).expect(201); // prettier-ignore
  const file = (await give(await kitFile(), 'typed.zip').expect(201)).body;
  await inTwo(stranger, '/kit/bring', { sha256: file.sha256 }).expect(201);
  const plate = (await recordsOfTwo()).find((r) => r.kind === 'plate' && r.body.given);
  expect(plate?.body).toMatchObject({ given, picture: { sha256: typed.sha256 } });
  expect(readCoefficients((await stranger.agent.get(`/api/productions/${server.ids.p2}/files/${typed.sha256}`).buffer(true).parse((res, done) => { let t = ''; res.on('data', (d: Buffer) => (t += d.toString())).on('end', () => done(null, t)); }).expect(200)).body as string, 'typed.json').coefficients.k).toEqual([-0.05]); // prettier-ignore
});

test.each([
  ['a zip of something else', async () => new JSZip().file('a.txt', 'x').generateAsync({ type: 'nodebuffer' }), /kit.json is missing/],
  ['no zip', async () => Buffer.from('not a zip at all, and long enough to be looked at'), /no kit file/],
  ['a kit that was changed', async () => change((k) => ({ ...k, records: [] }), false), /not as it was written/],
  ['a kit with a record that is none', async () => change((k) => ({ ...k, records: [{ kind: 'lens', id: 'x', body: { name: 'L' } }] })), /lens: kind/],
  ['a kit with a record that is no kit', async () => change((k) => ({ ...k, records: [{ kind: 'take', id: 'x', body: {} }] })), /take is no kit/],
  [
    'a kit whose picture is called coefficients',
    async () => change((k) => ({ ...k, pictures: (k as unknown as { pictures: object[] }).pictures.slice(0, 1).map((q) => ({ ...q, mime: 'application/octet-stream' })) })),
    /is no JSON/,
  ],
  ['a kit whose picture is another', async () => change((k) => k, true, true), /missing or not as it was written/],
])('%s is refused in words, and nothing of it is kept', async (_name, make, words) => {
  const before = await server.db.StoredFile.count();
  const r = await give(await make());
  expect([r.status, r.body.detail]).toEqual([422, expect.stringMatching(words)]);
  expect(await server.db.StoredFile.count()).toBe(before);
});

/** A kit file with another content: with a checksum that fits it, or with the old one. */
async function change(to: (kit: { records: object[] }) => object, fits = true, otherPicture = false): Promise<Buffer> {
  const { createHash } = await import('node:crypto');
  const zip = await JSZip.loadAsync(await kitFile());
  const text = JSON.stringify(to(JSON.parse(await zip.file('kit.json')!.async('string'))));
  const manifest = JSON.parse(await zip.file('manifest.json')!.async('string'));
  zip.file('kit.json', text);
  if (fits) zip.file('manifest.json', JSON.stringify({ ...manifest, kit: createHash('sha256').update(text).digest('hex') }));
  if (otherPicture) zip.file(`pictures/${picture.sha256}`, 'another one');
  return zip.generateAsync({ type: 'nodebuffer' });
}
