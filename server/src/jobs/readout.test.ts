import { blankTake, type SolveOutcome } from '@mesure/contract';
import { simulateShot, tracksText, uniform } from '@mesure/synthetic';
import { randomUUID } from 'node:crypto';
import { startTestServer, type Person, type TestServer } from '../test-server';

/* A turn on the spot, by a sensor that reads its rows one after the other: first of a mode of which nobody knows it, then noted, then left in. */
const MODE = { widthPx: 2048, heightPx: 1080, sensorWidthMm: 24, sensorHeightMm: 12.66, fps: 24 };
const MS = 15;
const u = uniform(21);
const { fps, ...picture } = MODE;
const turn = simulateShot({
  ...picture,
  ...{ focalMm: 24, frames: 36, noisePx: 0.3, seed: 8, readoutShare: (MS / 1000) * fps },
  points: Array.from({ length: 50 }, (_, i) => ({ id: `f${i}`, at: [-3 + 6 * u(), 2.4 * u(), -5.2 + 3 * u()] as const })),
  path: () => [0, 1.4, 1.5],
  aim: (t) => [1.2 * Math.sin(7 * t), 0.8 + 0.3 * Math.sin(15 * t), -3.5],
});
const now = '2026-01-01T08:00:00.000Z';
const id = Object.fromEntries(['body', 'mode', 'lens', 'pack', 'set', 'day', 'setup', 'take'].map((k) => [k, randomUUID()]));

let server: TestServer, owner: Person, second: Person;
const put = (kind: string, recordId: string, body: object, baseVersion = 0) => server.put(owner, kind, recordId, body, { baseVersion }).expect(baseVersion === 0 ? 201 : 200);
const body = (change: object) => ({ name: 'Eldin', modes: [{ id: id.mode, name: '2K', ...MODE, ...change }] });
const solved = async (who: Person, options: object = {}) => (await server.compute(who, 'solve', id.take, options)).outcome as SolveOutcome;
const staleOf = async (who: Person) =>
  ((await who.agent.get(server.at('/analyses')).expect(200)).body.analyses as { subjectId: string; stale: { what: string } | null }[]).find((a) => a.subjectId === id.take)!.stale;

beforeAll(async () => {
  server = await startTestServer();
  owner = await server.signIn('owner');
  second = await server.signIn('solver');
  await put('body', id.body, body({}));
  await put('lens', id.lens, { name: 'Velmar 24', kind: 'prime', minFocalMm: 24, maxFocalMm: 24, squeeze: 1, serial: '' });
  await put('package', id.pack, { camera: 'A', bodyId: id.body, modeId: id.mode, lensId: id.lens, adapterId: null, focalMm: 24 });
  await put('set', id.set, { name: 'Hold', marks: [] });
  await put('day', id.day, { name: 'Day 1', date: '2026-01-01' });
  await put('setup', id.setup, { dayId: id.day, setId: id.set, name: 'Look about', scene: '4', order: 1, levelMarks: [], originMark: null, headingMarks: null });
  const tracks = { sha256: (await server.give(owner, Buffer.from(tracksText(turn)), 'a.csv', 'tracks').expect(201)).body.sha256 as string, name: 'a.csv' };
  await put('take', id.take, { ...blankTake(id.setup, '4', { id: id.pack, focalMm: 24 }, now), tracks });
}, 120_000);
afterAll(() => server?.stop());

test('where nobody knows the readout the turn is no move, and what its rows say is a cause that one entry mends', async () => {
  const { setup, solve, reconcile } = await solved(second);
  expect(setup).not.toHaveProperty('readout');
  expect(solve.readoutSeen).toMatchObject({ turned: true, usedMs: 0 });
  expect(Math.abs(solve.readoutSeen!.ms! - MS)).toBeLessThan(Math.max(0.2, 4 * solve.readoutSeen!.sigmaMs!));
  expect(reconcile!.verdict).toBe('not observable');
  expect(reconcile!.items[0].causes[0]).toMatchObject({ cause: 'readout-not-used', correction: { field: 'readoutMs', value: expect.closeTo(MS, 0) } });
});

test('noted, the solve of before is old for the second one too; solved anew it is a turn', async () => {
  await put('body', id.body, body({ readoutMs: MS, readoutSource: 'measured' }), 1);
  expect(await staleOf(second)).toMatchObject({ what: expect.stringMatching(/Eldin/) });
  const { setup, solve } = await solved(second);
  expect(setup.readout).toEqual({ ms: MS });
  expect(solve).toMatchObject({ motion: 'pan', focalMm: expect.closeTo(24, 1) });
  expect(solve.readoutSeen).toBeUndefined();
  expect(await staleOf(owner)).toBeNull();
});

test('whoever wants it left in says so, and that makes nothing old; a time that no frame has is refused with the reason', async () => {
  const { setup } = await solved(owner, { readoutOut: false });
  expect(setup.readout).toBeNull();
  expect(await staleOf(owner)).toBeNull();
  await put('body', id.body, body({ readoutMs: 55 }), 2);
  const failed = await server.compute(owner, 'solve', id.take);
  expect(failed).toMatchObject({ status: 'failed', error: expect.stringMatching(/55 ms is longer than a frame at 24 a second/) });
});
