import { blankTake, type SolveOutcome } from '@mesure/contract';
import { normals, simulateShot, tracksText, uniform } from '@mesure/synthetic';
import { randomUUID } from 'node:crypto';
import { startTestServer, type Person, type TestServer } from '../test-server';

/* A slide past a set that hardly tells the focal length, and an instrument's places of eight of its marks: laid by one, solved by another, corrected on the next day. */
const TRUE_MM = 27;
const MODE = { widthPx: 2048, heightPx: 1080, sensorWidthMm: 24, sensorHeightMm: 12.66 };
const u = uniform(2);
const points = Array.from({ length: 60 }, (_, i) => ({ id: `m${i}`, at: [-3.5 + 7 * u(), i % 3 ? 2.6 * u() : 0, -6 + 3.6 * u()] as [number, number, number] }));
const slide = simulateShot({ ...MODE, focalMm: TRUE_MM, frames: 24, noisePx: 0.4, seed: 2, points, path: (t) => [1.8 * (t - 0.5), 1.3, 1.5], aim: (t) => [0.8 * (t - 0.5), 1.1, -4] });
const seen = new Map<string, number>();
for (const { track } of slide.tracks) seen.set(track, (seen.get(track) ?? 0) + 1);
const marks = points.filter((p) => (seen.get(p.id) ?? 0) > 16).slice(0, 8);
const noise = normals(40);
const measured = marks.map(({ at }) => at.map((v) => v + 0.005 * noise()) as [number, number, number]);

const now = '2026-01-01T08:00:00.000Z';
const id = Object.fromEntries(['body', 'mode', 'lens', 'pack', 'set', 'day', 'next', 'setup', 'take'].map((k) => [k, randomUUID()]));
const facts = marks.map(() => randomUUID());

let server: TestServer, owner: Person, second: Person, take: object;
const put = (kind: string, recordId: string, body: object, baseVersion = 0) => server.put(owner, kind, recordId, body, { baseVersion }).expect(baseVersion === 0 ? 201 : 200);
const place = (i: number, at: readonly number[]) => ({ setId: id.set, what: 'point', marks: [marks[i].id], length: null, at: [...at], toleranceM: 0.005, measuredAt: now });
const solved = async (who: Person) => (await server.compute(who, 'solve', id.take)).outcome as SolveOutcome;
const codes = ({ solve }: SolveOutcome) => solve.warnings.map((w) => w.code);

beforeAll(async () => {
  server = await startTestServer();
  owner = await server.signIn('owner');
  second = await server.signIn('solver');
  await put('body', id.body, { name: 'Eldin', modes: [{ id: id.mode, name: '2K', ...MODE, fps: 24 }] });
  await put('lens', id.lens, { name: 'Velmar 27', kind: 'prime', minFocalMm: TRUE_MM, maxFocalMm: TRUE_MM, squeeze: 1, serial: '' });
  await put('package', id.pack, { camera: 'A', bodyId: id.body, modeId: id.mode, lensId: id.lens, adapterId: null, focalMm: TRUE_MM });
  await put('set', id.set, { name: 'Hold', marks: marks.map((m) => m.id) });
  await put('day', id.day, { name: 'Day 1', date: '2026-01-01' });
  await put('setup', id.setup, { dayId: id.day, setId: id.set, name: 'Slide', scene: '4', order: 1, levelMarks: [], originMark: null, headingMarks: null });
  const tracks = { sha256: (await server.give(owner, Buffer.from(tracksText(slide)), 'a.csv', 'tracks').expect(201)).body.sha256 as string, name: 'a.csv' };
  take = { ...blankTake(id.setup, '4', { id: id.pack, focalMm: TRUE_MM }, now), tracks };
  await put('take', id.take, take);
}, 120_000);
afterAll(() => server?.stop());

test('without them nobody knows the focal length; measured by the owner, the places hold it for the second one', async () => {
  const alone = (await solved(second)).solve;
  for (const [i, at] of measured.entries()) await put('fact', facts[i], place(i, at));
  const held = await solved(second);
  expect(codes(held)).toContain('PLACES_HOLD_FOCAL');
  expect(held.solve.sigmaFocalMm!).toBeLessThan(0.5 * alone.sigmaFocalMm!);
  expect(Math.abs(held.solve.focalMm! - TRUE_MM)).toBeLessThan(4 * held.solve.sigmaFocalMm!);
});

test('a day later the noted focal length was another one: the places contradict it, by more than the tracks alone could', async () => {
  await put('day', id.next, { name: 'Day 2', date: '2026-01-02' });
  const { solve, ...rest } = await server.compute(owner, 'solve', id.take).then((a) => a.outcome as SolveOutcome);
  expect(solve.frames).toHaveLength(24);
  expect(rest.reconcile!.items.find((i) => i.quantity === 'focalLength')).toMatchObject({ verdict: 'agrees' });
  await put('take', id.take, { ...take, focalMm: 25 }, 1);
  const wrong = await solved(second);
  expect(wrong.reconcile!.items.find((i) => i.quantity === 'focalLength')).toMatchObject({ verdict: 'contradicts' });
  expect(Math.abs(wrong.solve.focalMm! - solve.focalMm!)).toBeLessThan(0.2 * solve.sigmaFocalMm!);
});

test('a place that was put down wrong is left out and named, and does not hold anything', async () => {
  await put('fact', facts[3], place(3, [measured[3][0], measured[3][1], measured[3][2] + 0.3]), 1);
  const { solve } = await solved(owner);
  expect(solve.warnings.map((w) => w.code)).toContain('PLACES_HOLD_FOCAL');
  expect(Math.abs(solve.focalMm! - TRUE_MM)).toBeLessThan(4 * solve.sigmaFocalMm!);
  expect(new Set(solve.anchoring.residuals.filter((r) => r.leftOut).map((r) => r.about.replace(/ [xyz]$/, '')))).toEqual(new Set([marks[3].id]));
});
