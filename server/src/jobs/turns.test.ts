import { renderChequer } from '@mesure/synthetic';
import { randomUUID } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import path from 'node:path';
import sharp from 'sharp';
import { startTestServer, type Person, type TestServer } from '../test-server';
import { MOST_OPEN } from './turns';

let server: TestServer, wrangler: Person, supervisor: Person, sha256: string;
const id = { body: randomUUID(), mode: randomUUID(), lens: randomUUID(), pack: randomUUID() };
const plateBody = (change: object = {}) => ({
  lensId: id.lens,
  packageId: id.pack,
  focalMm: 32,
  focusM: null,
  chart: 'chequer',
  cellM: 0.02,
  picture: { sha256, name: 'a.png' },
  shotAt: '2026-01-01T08:00:00.000Z',
  ...change,
});
async function plate(): Promise<string> {
  const plateId = randomUUID();
  await server.put(wrangler, 'plate', plateId, plateBody()).expect(201);
  return plateId;
}
const start = (who: Person, subjectId: string, change: object = {}) =>
  who.agent
    .post(server.at('/analyses'))
    .set('x-csrf-token', who.csrf)
    .send({ id: randomUUID(), kind: 'grid', subjectId, ...change });
const look = async (analysisId: string) => (await wrangler.agent.get(server.at(`/analyses/${analysisId}`)).expect(200)).body as { status: string; ahead?: number; stage: string };

beforeAll(async () => {
  server = await startTestServer({ worker: false });
  wrangler = await server.signIn('wrangler');
  supervisor = await server.signIn('supervisor');
  const picture = renderChequer({ widthPx: 320, heightPx: 160, lens: { fxPx: 800, fyPx: 800, cx: 160, cy: 80, k1: 0, k2: 0, k3: 0, p1: 0, p2: 0 }, cellSlope: 0.03 });
  sha256 = (await server.give(wrangler, await sharp(Buffer.from(picture.gray), { raw: { width: 320, height: 160, channels: 1 } }).png().toBuffer(), 'a.png', 'plate').expect(201)).body.sha256; // prettier-ignore
  await server.put(wrangler, 'body', id.body, { name: 'Tarvik', modes: [{ id: id.mode, name: 'small', widthPx: 960, heightPx: 480, sensorWidthMm: 12, sensorHeightMm: 6, fps: 24 }] }).expect(201);
  await server.put(wrangler, 'lens', id.lens, { name: 'Orrinel 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: '' }).expect(201);
  await server.put(wrangler, 'package', id.pack, { camera: 'A', bodyId: id.body, modeId: id.mode, lensId: id.lens, adapterId: null, focalMm: 32 }).expect(201);
});
afterAll(() => server?.stop());

test('turns by person: one plate of another is behind the first of many, and each says how many are before it', async () => {
  const mine = [];
  for (let i = 0; i < 4; i += 1) mine.push((await start(wrangler, await plate()).expect(202)).body);
  expect(mine.map((a) => a.ahead)).toEqual([0, 1, 2, 3]);
  const other = (await start(supervisor, await plate()).expect(202)).body;
  expect(other).toMatchObject({ status: 'queued', ahead: 1 });
  expect((await look(mine[1].id)).ahead).toBe(2);
  const listed = (await wrangler.agent.get(server.at('/analyses')).expect(200)).body.analyses as { id: string; ahead?: number }[];
  expect([...mine, other].map((a) => listed.find((l) => l.id === a.id)!.ahead)).toEqual([0, 2, 3, 4, 1]);
  // and so they are taken
  const file = path.join(server.dir, 'quick.mjs');
  writeFileSync(file, "export default async () => ({ ok: false, message: 'seen' });\n");
  const worker = await server.startWorker({ computeFile: file });
  try {
    for (let i = 0; i < 300; i += 1) {
      if ((await server.db.AnalysisRow.count({ where: { status: 'queued' } })) === 0 && (await server.db.AnalysisRow.count({ where: { status: 'running' } })) === 0) break;
      await new Promise((r) => setTimeout(r, 100));
    }
    const done = await server.db.AnalysisRow.findAll({ attributes: ['id', 'error'], order: [['finishedAt', 'ASC']] });
    expect(done.map((r) => [r.id, r.error])).toEqual([mine[0], other, mine[1], mine[2], mine[3]].map((a) => [a.id, 'seen']));
    expect((await look(other.id)).ahead).toBeUndefined();
  } finally {
    await worker.stop();
  }
});

test('one open computation a subject: the same one is that one; of another record it takes the place of the one before', async () => {
  const plateId = await plate();
  const first = (await start(wrangler, plateId).expect(202)).body;
  expect((await start(supervisor, plateId).expect(202)).body.id).toBe(first.id);
  await server.put(wrangler, 'plate', plateId, plateBody({ focalMm: 33 }), { baseVersion: 1 }).expect(200);
  const second = (await start(wrangler, plateId).expect(202)).body;
  expect(second.id).not.toBe(first.id);
  expect(await look(first.id)).toMatchObject({ status: 'stopped', stage: 'another took its place' });
  // one that runs is asked to stop
  await server.db.AnalysisRow.update({ status: 'running', heartbeatAt: new Date() }, { where: { id: second.id } });
  await server.put(wrangler, 'plate', plateId, plateBody({ focalMm: 34 }), { baseVersion: 2 }).expect(200);
  const third = (await start(wrangler, plateId).expect(202)).body;
  expect(third.ahead).toBe(1);
  expect((await server.db.AnalysisRow.findByPk(second.id))!.stopRequested).toBe(true);
  await server.db.AnalysisRow.update({ status: 'stopped' }, { where: { id: [second.id, third.id] } });
});

test('what one person has open is bounded, in words; another one is served', async () => {
  const [subject, another] = [await plate(), await plate()];
  const row = { productionId: server.ids.p1, kind: 'grid' as const, status: 'queued' as const, input: {} as never, outcome: null, error: null, finishedAt: null };
  const { askedBy } = (await server.db.AnalysisRow.findOne({ order: [['createdAt', 'ASC']] }))!;
  await server.db.AnalysisRow.bulkCreate(Array.from({ length: MOST_OPEN }, () => ({ ...row, id: randomUUID(), subjectId: another, askedBy })));
  const refused = await start(wrangler, subject).expect(429);
  expect(refused.body).toMatchObject({ code: 'TOO_MANY_ATTEMPTS', detail: expect.stringMatching(/200 computations that you asked for are not done yet\. The record is safe/) });
  await start(supervisor, subject).expect(202);
  await server.db.AnalysisRow.update({ status: 'stopped' }, { where: { status: 'queued' } });
});

test('one that takes longer than its kind may is ended, and says so', async () => {
  const file = path.join(server.dir, 'for-ever.mjs');
  writeFileSync(file, 'export default () => new Promise(() => setInterval(() => {}, 1000));\n');
  const worker = await server.startWorker({ computeFile: file, limitMs: () => 700 });
  try {
    const asked = (await start(wrangler, await plate()).expect(202)).body;
    for (let i = 0; i < 200 && (await look(asked.id)).status !== 'failed'; i += 1) await new Promise((r) => setTimeout(r, 100));
    expect(await look(asked.id)).toMatchObject({ status: 'failed', error: expect.stringMatching(/took longer than .*record is safe/) });
  } finally {
    await worker.stop();
  }
});
