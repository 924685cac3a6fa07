import type { Analysis, GridOutcome, LensFilesOutcome } from '@mesure/contract';
import { NO_DISTORTION, redistortMap, undistortMap, type FrameLens } from '@mesure/core';
import { writeStMapExr, writeStMapTiff } from '@mesure/formats/st-map';
import { randomUUID } from 'node:crypto';
import { startTestServer, type Person, type TestServer } from '../test-server';

const now = '2026-01-01T08:00:00.000Z';
const id = { body: randomUUID(), mode: randomUUID(), lens: randomUUID(), pack: randomUUID() };
const lens: FrameLens = { widthPx: 960, heightPx: 540, fxPx: 1280, fyPx: 1280, center: [485, 266], distortion: { ...NO_DISTORTION, k: [-0.12, 0.05, 0] } };
const overscan = { left: 20, right: 20, top: 12, bottom: 12 };
const map = { what: 'map', way: 'undistorts', stretch: 1 };
const coefficients = { what: 'coefficients', formula: 'polynomial', over: 'focal length', direction: 'undistorted to distorted', k: [-0.12, 0.05], p: [0, 0], center: [5, -4], focalMm: null };
let server: TestServer, wrangler: Person, guest: Person;

const give = async (bytes: Uint8Array, name: string) => ({ sha256: (await server.give(wrangler, Buffer.from(bytes), name, 'lens').expect(201)).body.sha256 as string, name });
const plateOf = (picture: object, given: object, change: object = {}) => ({ lensId: id.lens, packageId: id.pack, picture, focalMm: 16, focusM: 2, cellM: null, given, shotAt: now, ...change });
async function read(picture: object, given: object): Promise<{ plate: string; made: Analysis; outcome: GridOutcome | null }> {
  const plate = randomUUID();
  await server.put(wrangler, 'plate', plate, plateOf(picture, given)).expect(201);
  const made = await server.compute(wrangler, 'grid', plate);
  return { plate, made, outcome: made.outcome?.kind === 'grid' ? made.outcome : null };
}

beforeAll(async () => {
  server = await startTestServer();
  wrangler = await server.signIn('wrangler');
  guest = await server.signIn('guest');
  await server.put(wrangler, 'body', id.body, { name: 'Tarvik', modes: [{ id: id.mode, name: 'half HD', widthPx: 960, heightPx: 540, sensorWidthMm: 12, sensorHeightMm: 6.75, fps: 24 }] }).expect(201);
  await server.put(wrangler, 'lens', id.lens, { name: 'Orrinel 16', kind: 'prime', serial: '77', minFocalMm: 16, maxFocalMm: 16, squeeze: 1 }).expect(201);
  await server.put(wrangler, 'package', id.pack, { camera: 'A', bodyId: id.body, modeId: id.mode, lensId: id.lens, adapterId: null, focalMm: 16 }).expect(201);
});
afterAll(() => server?.stop());

test('a map becomes a plate of the lens: maps are made of it again, and it leaves', async () => {
  const picture = await give(await writeStMapExr(undistortMap(lens, overscan)), 'from the house.exr');
  const { plate, outcome } = await read(picture, map);
  expect(outcome).toMatchObject({ report: { status: 'usable' }, widthPx: 960, count: { unit: 'share', up: true } });
  expect(outcome!.report.rmsPx!).toBeLessThan(0.02);
  const made = (await server.compute(wrangler, 'lens-files', plate)).outcome as LensFilesOutcome;
  // there is no picture of a chart to straighten
  expect(made.files.map((f) => f.what)).toEqual([expect.stringMatching(/ST map/), expect.stringMatching(/ST map/)]);
  expect(made.roundTripPx).toBeLessThan(0.05);
  const again = await read({ sha256: made.files[1].sha256, name: made.files[1].name }, { ...map, way: 'distorts' });
  expect(again.outcome!.report.cornerDisplacementPct!).toBeCloseTo(outcome!.report.cornerDisplacementPct!, 1);
});

test('the same lens by a TIFF the other way, and by its coefficients', async () => {
  const tiff = await read(await give(writeStMapTiff(redistortMap(lens, overscan)), 'bends.tif'), { ...map, way: 'distorts' });
  const written = await read(
    await give(Buffer.from(JSON.stringify({ lens: { pinholeFocalLength: 16, distortion: [{ model: 'Brown-Conrady U-D', radial: [-0.12, 0.05] }] } })), 'lens.json'),
    coefficients,
  );
  for (const { outcome } of [tiff, written]) expect(outcome!.report.cornerDisplacementPct!).toBeCloseTo(tiff.outcome!.report.cornerDisplacementPct!, 2);
  const center = written.outcome!.report.distortion!.center;
  expect(center[0]).toBeCloseTo(485, 0);
  expect(center[1]).toBeCloseTo(266, 0);
});

test('read otherwise, what was computed is of an older reading', async () => {
  const picture = await give(await writeStMapExr(undistortMap(lens, overscan)), 'doubted.exr');
  const { plate } = await read(picture, map);
  await server.put(wrangler, 'plate', plate, plateOf(picture, { ...map, way: 'distorts' }), { baseVersion: 1 }).expect(200);
  const listed = ((await wrangler.agent.get(server.at('/analyses')).expect(200)).body.analyses as Analysis[]).find((a) => a.subjectId === plate)!;
  expect(listed.stale).toMatchObject({ what: expect.stringMatching(/doubted\.exr/) });
  const anew = await server.compute(wrangler, 'grid', plate);
  expect(anew.outcome).toMatchObject({ report: { sentence: expect.stringMatching(/pincushion/) } });
});

test('what is no map is refused in words, and the record stays', async () => {
  const flat = await give(await writeStMapExr({ widthPx: 200, heightPx: 100, data: new Float32Array(40_000).fill(0.01) }), 'flat.exr');
  const { made } = await read(flat, map);
  expect(made).toMatchObject({ status: 'failed', error: expect.stringMatching(/differences of places/) });
});

test.each([
  ['text that is no lens', Buffer.from('k1 is small'), /no JSON/],
  ['something else', Buffer.from([0, 1, 2, 3, 0, 0, 0, 0, 0]), /not a picture/],
  ['too much text', Buffer.alloc(1_100_000, 32), /larger than coefficients/],
])('%s is not taken as a lens', async (_, bytes, words) => {
  const r = await server.give(wrangler, bytes, 'x.json', 'lens');
  expect([413, 422]).toContain(r.status);
  expect(r.body.detail).toMatch(words);
});

test.each([
  ['a cell beside a map', { cellM: 0.04 }],
  ['neither a cell nor a reading', { given: null }],
  ['a way that there is not', { given: { ...map, way: 'sideways' } }],
  ['coefficients without any', { given: { ...coefficients, k: [] } }],
])('%s is refused', async (_, change) => {
  const picture = { sha256: 'a'.repeat(64), name: 'x.exr' };
  await server.put(wrangler, 'plate', randomUUID(), plateOf(picture, map, change)).expect(422);
});

test('a guest brings nothing in', async () => {
  await server.give(guest, Buffer.from('{}'), 'x.json', 'lens').expect(403);
});
