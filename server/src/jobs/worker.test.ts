import { simulateShot, tracksText, uniform } from '@mesure/synthetic';
import { randomUUID } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import path from 'node:path';
import type { SolveSetup } from '@mesure/core';
import { enqueueAnalysis } from './queue';
import { startTestServer, type Person, type TestServer } from '../test-server';

const tracksOf = (frames: number, points: number): Buffer => {
  const u = uniform(8);
  const shot = simulateShot({
    widthPx: 2048,
    heightPx: 1080,
    focalMm: 18,
    sensorWidthMm: 24,
    sensorHeightMm: 12.66,
    frames,
    noisePx: 0.5,
    points: Array.from({ length: points }, (_, i) => ({ id: `m${i}`, at: [-3 + 6 * u(), 2 * u(), -5 + 4 * u()] as [number, number, number] })),
    path: (t) => [-0.9 + 1.8 * t, 1.4, 3],
    aim: () => [0, 0.8, -3.5],
  });
  return Buffer.from(tracksText(shot));
};
/** A shot that takes several seconds to solve, so that there is time to step in. */
const LONG = tracksOf(240, 300);
const SHORT = tracksOf(30, 60);
const SETUP: SolveSetup = { image: { width: 2048, height: 1080 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode: 'free', mm: 18 }, distortion: { mode: 'none' } };

let server: TestServer, wrangler: Person, sha256: string, long: string, subjectId: string;

beforeAll(async () => {
  server = await startTestServer({ worker: false });
  wrangler = await server.signIn('wrangler');
  long = (await server.give(wrangler, LONG, 'long.csv', 'tracks').expect(201)).body.sha256;
  sha256 = (await server.give(wrangler, SHORT, 'short.csv', 'tracks').expect(201)).body.sha256;
  subjectId = randomUUID();
  await server.put(wrangler, 'set', subjectId, { name: 'Any', marks: [] }).expect(201);
});
afterAll(() => server?.stop());

const queued = async (change: object = {}) =>
  server.db.AnalysisRow.create({
    id: randomUUID(),
    productionId: server.ids.p1,
    kind: 'solve',
    subjectId,
    status: 'queued',
    input: { kind: 'solve', file: { sha256, name: 'short.csv' }, setup: SETUP, trim: false, net: null },
    outcome: null,
    error: null,
    finishedAt: null,
    ...change,
  });
async function reaches(id: string, wanted: (row: { status: string; progress: number; attempts: number }) => boolean, seconds = 40) {
  for (let i = 0; i < seconds * 10; i += 1) {
    const row = (await server.db.AnalysisRow.findByPk(id))!;
    if (wanted(row)) return row;
    await new Promise((f) => setTimeout(f, 100));
  }
  throw new Error(`not reached: ${JSON.stringify((await server.db.AnalysisRow.findByPk(id, { attributes: ['status', 'progress', 'stage', 'attempts'] }))!.toJSON())}`);
}
/** A computation that never ends by itself. */
const endless = () => {
  const file = path.join(server.dir, 'endless.mjs');
  writeFileSync(file, "export default ({ port }) => { port.postMessage({ progress: 0.3, stage: 'turning' }); return new Promise(() => setInterval(() => {}, 1000)); };\n");
  return file;
};

test('a running solve shows its progress, is stopped when asked, and leaves nothing', async () => {
  const worker = await server.startWorker();
  try {
    const row = await queued({ input: { kind: 'solve', file: { sha256: long, name: 'long.csv' }, setup: SETUP, trim: false, net: null } });
    await enqueueAnalysis(server.boss, row.id);
    const seen = await reaches(row.id, (r) => r.status === 'running' && r.progress > 0);
    expect(seen.stage).not.toBe('');
    await wrangler.agent
      .post(server.at(`/analyses/${row.id}/stop`))
      .set('x-csrf-token', wrangler.csrf)
      .send({})
      .expect(200);
    const stopped = await reaches(row.id, (r) => r.status !== 'running');
    expect(stopped).toMatchObject({ status: 'stopped', outcome: null, error: null });
    expect(stopped.finishedAt).not.toBeNull();
    // and the worker is free for the next one
    const next = await queued();
    await enqueueAnalysis(server.boss, next.id);
    expect((await reaches(next.id, (r) => !['queued', 'running'].includes(r.status))).status).toBe('done');
  } finally {
    await worker.stop();
  }
});

test('a worker that ends gives its job back, and the next one takes it from the start', async () => {
  const first = await server.startWorker({ computeFile: endless() });
  const row = await queued();
  await enqueueAnalysis(server.boss, row.id);
  await reaches(row.id, (r) => r.status === 'running' && r.progress > 0.2);
  await first.stop();
  expect((await reaches(row.id, (r) => r.status === 'queued')).outcome).toBeNull();
  const second = await server.startWorker();
  try {
    expect(await reaches(row.id, (r) => r.status === 'done')).toMatchObject({ attempts: 2, outcome: { kind: 'solve', solve: { status: 'solved' } } });
  } finally {
    await second.stop();
  }
});

test('a job whose worker was killed is taken over; one that lives is left alone', async () => {
  const killed = await queued({ status: 'running', heartbeatAt: new Date(Date.now() - 60_000), attempts: 1 });
  const living = await queued({ status: 'running', heartbeatAt: new Date(Date.now() + 60_000), attempts: 1 });
  const worker = await server.startWorker({ abandonedAfterMs: 3000 });
  try {
    expect((await reaches(killed.id, (r) => r.status === 'done')).attempts).toBe(2);
    expect((await living.reload()).status).toBe('running');
  } finally {
    await worker.stop();
  }
});

test('a worker that was only slow, and was taken over, writes nothing over its successor', async () => {
  const slow = await server.startWorker({ computeFile: endless() });
  const row = await queued();
  await enqueueAnalysis(server.boss, row.id);
  await reaches(row.id, (r) => r.status === 'running' && r.progress > 0.2);
  // another worker takes it: the row is counted up, and is done
  await server.db.AnalysisRow.update({ attempts: 2, status: 'done', stage: 'done', progress: 1, outcome: { kind: 'sync' } as never }, { where: { id: row.id } });
  await new Promise((f) => setTimeout(f, 1500));
  await slow.stop();
  expect((await row.reload()).toJSON()).toMatchObject({ status: 'done', attempts: 2, stage: 'done', progress: 1, outcome: { kind: 'sync' } });
});

test('a job and its place in the queue are written together: neither is there without the other', async () => {
  const id = randomUUID();
  const inQueue = async () => {
    const [rows] = await server.db.sequelize.query("select count(*)::int as n from jobs.job where data->>'analysisId' = :id", { replacements: { id } });
    return (rows[0] as { n: number }).n;
  };
  const write = (fails: boolean) =>
    server.db.sequelize.transaction(async (transaction) => {
      await server.db.AnalysisRow.create(
        {
          id,
          productionId: server.ids.p1,
          kind: 'solve',
          subjectId,
          status: 'queued',
          input: { kind: 'solve', file: { sha256, name: 'short.csv' }, setup: SETUP, trim: false, net: null },
          outcome: null,
          error: null,
          finishedAt: null,
        },
        { transaction },
      );
      await enqueueAnalysis(server.boss, id, { transaction });
      if (fails) throw new Error('the power went');
    });
  await expect(write(true)).rejects.toThrow('the power went');
  expect([await server.db.AnalysisRow.count({ where: { id } }), await inQueue()]).toEqual([0, 0]);
  await write(false);
  expect([await server.db.AnalysisRow.count({ where: { id } }), await inQueue()]).toEqual([1, 1]);
  await server.db.AnalysisRow.update({ status: 'stopped' }, { where: { id } });
});

test('lists read what is small of an outcome, and one alone the whole', async () => {
  const outcome = { kind: 'solve', solve: { status: 'solved', frames: [{ frame: 1 }], points: [{ track: 'a' }] } } as never;
  const other = randomUUID();
  await server.put(wrangler, 'set', other, { name: 'Other', marks: [] }).expect(201);
  const row = await queued({ status: 'done', outcome, subjectId: other });
  const listed = (await wrangler.agent.get(server.at('/analyses')).expect(200)).body.analyses as { id: string; outcome: { solve: { frames: unknown[]; points: unknown[] } } }[];
  expect(listed.find((a) => a.id === row.id)!.outcome.solve).toMatchObject({ status: 'solved', frames: [], points: [] });
  const whole = (await wrangler.agent.get(server.at(`/analyses/${row.id}`)).expect(200)).body;
  expect(whole.outcome.solve.frames).toHaveLength(1);
});

test('of one subject all that came to a good end are listed, newest first, and nothing of others', async () => {
  const outcome = (rmsPx: number) => ({ kind: 'solve', solve: { status: 'solved', rmsPx, frames: [{ frame: 1 }], points: [] } }) as never;
  const [subject, other] = [randomUUID(), randomUUID()];
  for (const id of [subject, other]) await server.put(wrangler, 'set', id, { name: 'Of it', marks: [] }).expect(201);
  const at = (minute: number) => new Date(Date.UTC(2026, 10, 28, 9, minute));
  const first = await queued({ status: 'done', outcome: outcome(0.9), subjectId: subject, createdAt: at(1) });
  const second = await queued({ status: 'done', outcome: outcome(0.4), subjectId: subject, createdAt: at(2) });
  await queued({ status: 'failed', error: 'no parallax', subjectId: subject, createdAt: at(3) });
  await queued({ status: 'done', outcome: outcome(0.1), subjectId: other, createdAt: at(4) });
  const { analyses } = (await wrangler.agent.get(server.at(`/analyses/of/${subject}`)).expect(200)).body as { analyses: { id: string; outcome: { solve: { rmsPx: number; frames: unknown[] } } }[] };
  expect(analyses.map((a) => [a.id, a.outcome.solve.rmsPx, a.outcome.solve.frames])).toEqual([
    [second.id, 0.4, []],
    [first.id, 0.9, []],
  ]);
  const stranger = await server.signIn('stranger');
  await stranger.agent.get(server.at(`/analyses/of/${subject}`)).expect(404);
  expect((await stranger.agent.get(`/api/productions/${server.ids.p2}/analyses/of/${subject}`).expect(200)).body.analyses).toEqual([]);
  await wrangler.agent.get(server.at('/analyses/of/no-id')).expect(422);
});

test('a job that took three workers down is not tried a fourth time', async () => {
  const row = await queued({ status: 'running', heartbeatAt: new Date(0), attempts: 3 });
  const worker = await server.startWorker({ abandonedAfterMs: 900 });
  try {
    const failed = await reaches(row.id, (r) => r.status !== 'running');
    expect(failed).toMatchObject({ status: 'failed', error: expect.stringContaining('3 times') });
  } finally {
    await worker.stop();
  }
});

test('a fault of ours is said as such, with the reason in the log and not in the answer', async () => {
  const file = path.join(server.dir, 'faulty.mjs');
  writeFileSync(file, "export default () => { throw new Error('secret path /srv/x'); };\n");
  const worker = await server.startWorker({ computeFile: file });
  try {
    const row = await queued();
    await enqueueAnalysis(server.boss, row.id);
    const failed = await reaches(row.id, (r) => r.status === 'failed');
    expect(failed.error).toMatch(/failed on the server.*safe/);
    expect(failed.error).not.toContain('secret');
  } finally {
    await worker.stop();
  }
});
