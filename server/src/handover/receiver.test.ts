import { HANDOVER_PARTS, partOf, takeNameProblem, type ReceiverBody, type SolveOutcome } from '@mesure/contract';
import { checkHandover } from '@mesure/formats/handover';
import { readPointsCsv } from '@mesure/formats';
import JSZip from 'jszip';
import { randomUUID } from 'node:crypto';
import Papa from 'papaparse';
import { startTestServer, type Person, type TestServer } from '../test-server';
import { planHandover } from './plan';
import { AS_KEPT } from './receiver';

const now = '2026-01-01T08:00:00.000Z';
let server: TestServer, wrangler: Person;
const id = { body: randomUUID(), mode: randomUUID(), lens: randomUUID(), pack: randomUUID(), set: randomUUID(), day: randomUUID(), setup: randomUUID(), take: randomUUID() };
const receiver = (change: Partial<ReceiverBody> = {}): ReceiverBody => ({ name: 'Lisk & Daughters', maps: 'none', notes: '', ...AS_KEPT, ...change });
/** A camera that goes and turns, before four points. */
const FRAMES = [
  { frame: 1, position: [0.1, 1.4, 0.3], rotation: unit([0.02, -0.1, 0.015, 1]) },
  { frame: 2, position: [0.2, 1.42, 0.28], rotation: unit([0.025, -0.11, 0.02, 1]) },
  { frame: 4, position: [0.4, 1.46, 0.2], rotation: unit([-0.03, 0.13, -0.01, 1]) },
];
const POINTS = [
  { track: 'K1', position: [1.9, 0.6, -2.6] },
  { track: 'K2', position: [-1.2, 2.1, -3.2] },
];
function unit(q: number[]): number[] {
  const n = Math.hypot(...q);
  return q.map((v) => v / n);
}
const outcome = {
  kind: 'solve',
  setup: { image: { width: 960, height: 480 }, sensor: { widthMm: 12, heightMm: 6 }, focal: { mm: 32 }, fps: 24 },
  reconcile: { verdict: 'agrees', sentence: '', items: [] },
  solve: {
    status: 'solved',
    focalMm: 32,
    sigmaFocalMm: 0.05,
    rmsPx: 0.3,
    anchoring: { scale: 1, sigmaScalePct: 0.1, datum: [], residuals: [] },
    width: 960,
    height: 480,
    frames: FRAMES.map((f) => ({ ...f, focalMm: 32, rmsPx: 0.3, tracks: 9, sigmaPositionM: 0.002 })),
    points: POINTS.map((p) => ({ ...p, sigmaM: 0.004, covarianceM2: [1e-6, 0, 0, 4e-6, 0, 25e-6], rmsPx: 0.2, observations: 3 })),
    warnings: [],
  },
} as unknown as SolveOutcome;

beforeAll(async () => {
  server = await startTestServer({ worker: false });
  wrangler = await server.signIn('wrangler');
  await server.put(wrangler, 'body', id.body, { name: 'Tarvik', modes: [{ id: id.mode, name: '1K', widthPx: 960, heightPx: 480, sensorWidthMm: 12, sensorHeightMm: 6, fps: 24 }] }).expect(201);
  await server.put(wrangler, 'lens', id.lens, { name: 'Orrinel 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: '' }).expect(201);
  await server.put(wrangler, 'package', id.pack, { camera: 'A', bodyId: id.body, modeId: id.mode, lensId: id.lens, adapterId: null, focalMm: 32 }).expect(201);
  await server.put(wrangler, 'set', id.set, { name: 'Galley', marks: [] }).expect(201);
  await server.put(wrangler, 'day', id.day, { name: 'Day 1', date: '2026-01-01' }).expect(201);
  await server.put(wrangler, 'setup', id.setup, { dayId: id.day, setId: id.set, name: 'Dolly', scene: '41', order: 1, levelMarks: [], originMark: null, headingMarks: null }).expect(201);
  const { body: given } = await server.give(wrangler, Buffer.from('frame,track,x,y\n1,K1,10,20\n'), 'from elsewhere.csv', 'tracks').expect(201);
  const tracks = { sha256: given.sha256 as string, name: 'from elsewhere.csv' };
  const take = { setupId: id.setup, slate: '41A', take: 3, clip: 'A012C003', packageId: id.pack, focalMm: 32, focusM: 3, height: null, heightFrame: 1, circled: false, notes: '', tracks, loggedAt: now, carried: [] }; // prettier-ignore
  await server.put(wrangler, 'take', id.take, take).expect(201);
  for (const [from, to, m] of [
    ['A', 'B', 3],
    ['B', 'C', 4],
    ['A', 'C', 5],
  ] as const)
    // prettier-ignore
    await server.put(wrangler, 'tie', randomUUID(), { setId: id.set, from, to, length: { typed: `${m} m`, unit: 'm', valueM: m, toleranceM: 0.003 }, instrument: 'tape', measuredAt: now }).expect(201);
  await server.db.AnalysisRow.create({ id: randomUUID(), productionId: server.ids.p1, kind: 'solve', subjectId: id.take, status: 'done', input: {} as never, outcome, error: null, createdAt: new Date(), finishedAt: new Date() }); // prettier-ignore
});
afterAll(() => server?.stop());

async function keep(change: Partial<ReceiverBody>): Promise<string> {
  const at = randomUUID();
  await server.put(wrangler, 'receiver', at, receiver(change)).expect(201);
  return at;
}
const handedOver = async (receiverId: string | null, supplementTo: string | null = null, handoverId: string = randomUUID()): Promise<JSZip> =>
  JSZip.loadAsync(await server.handOver(wrangler, id.day, { id: handoverId, supplementTo, receiverId }));
const namesOf = (zip: JSZip) => Object.keys(zip.files).filter((n) => !zip.files[n].dir);
const rows = async (zip: JSZip, name: string) => Papa.parse<Record<string, string>>(await zip.file(name)!.async('string'), { header: true, skipEmptyLines: true }).data;
const check = (zip: JSZip) => checkHandover({ names: namesOf(zip), read: (n) => zip.file(n)!.async('nodebuffer') });

/** Slopes right and up of every point in every frame, from the two tables alone: whoever reads them need not know the unit, and must know the axes of a quaternion only. */
async function seen(zip: JSZip, folder: string, prefix = ''): Promise<number[]> {
  const points = await rows(zip, `${folder}/${prefix}points.csv`);
  return (await rows(zip, `${folder}/${prefix}camera.csv`)).flatMap((c) =>
    points.flatMap((p) => {
      const [x, y, z, w] = [-Number(c.qx), -Number(c.qy), -Number(c.qz), Number(c.qw)];
      const v = ['x', 'y', 'z'].map((k) => Number(p[k]) - Number(c[k]));
      const t = [2 * (y * v[2] - z * v[1]), 2 * (z * v[0] - x * v[2]), 2 * (x * v[1] - y * v[0])];
      const at = [v[0] + w * t[0] + y * t[2] - z * t[1], v[1] + w * t[1] + z * t[0] - x * t[2], v[2] + w * t[2] + x * t[1] - y * t[0]];
      return [at[0] / -at[2], at[1] / -at[2]];
    }),
  );
}

test('a receiver gets his unit, axes, frame numbers and names; the camera sees the same, and the handover checks', async () => {
  const plain = await handedOver(null);
  const zip = await handedOver(await keep({ unit: 'cm', up: 'Z', addFrames: 1000, takeName: '{scene}_{slate}_{clip}', inFileNames: true, without: ['gltf'] }));
  const folder = 'takes/41_41A_A012C003';
  const names = namesOf(zip);
  expect(names).toEqual(expect.arrayContaining([`${folder}/41_41A_A012C003_camera.usda`, `${folder}/41_41A_A012C003_solve.json`, `${folder}/tracks/from-elsewhere.csv`]));
  expect(names.filter((n) => n.endsWith('.glb'))).toEqual([]);
  const [first] = await rows(zip, `${folder}/41_41A_A012C003_camera.csv`);
  // 0.1 m right, 1.4 m up, 0.3 m behind
  expect(first).toMatchObject({ frame: '1001', unit: 'cm', up: 'Z' });
  [10, -30, 140].forEach((v, i) => expect(Number(first[['x', 'y', 'z'][i]])).toBeCloseTo(v, 9));
  const [k1] = await rows(zip, `${folder}/41_41A_A012C003_points.csv`);
  ['sigma_x', 'sigma_y', 'sigma_z'].forEach((k, i) => expect(Number(k1[k])).toBeCloseTo([0.1, 0.5, 0.2][i], 9));
  const there = await seen(zip, folder, '41_41A_A012C003_');
  (await seen(plain, 'takes/41A-take-3')).forEach((v, i) => expect(there[i]).toBeCloseTo(v, 9));
  const usd = await zip.file(`${folder}/41_41A_A012C003_camera.usda`)!.async('string');
  expect(usd).toContain('metersPerUnit = 0.01');
  expect(usd).toContain('upAxis = "Z"');
  // tenths of a centimetre are millimetres
  expect(usd).toContain('float focalLength = 32\n');
  expect(usd).toContain('startTimeCode = 1001');
  const contents = await zip.file('CONTENTS.txt')!.async('string');
  expect(contents).toMatch(/Made for Lisk & Daughters\.[\s\S]*centimetres, Z up[\s\S]*and 1000[\s\S]*Left out at the receiver's wish: glTF 2\.0\./);
  expect((await check(zip)).filter((f) => f.status !== 'good')).toEqual([]);
  // surveyed places come in again as they were
  const net = readPointsCsv(await zip.file('sets/Galley/points.csv')!.async('string'), 'points.csv');
  const before = readPointsCsv(await plain.file('sets/Galley/points.csv')!.async('string'), 'points.csv');
  net.forEach((p, i) => p.at.forEach((v, k) => expect(v).toBeCloseTo(before[i].at[k], 9)));
  expect(await zip.file('sets/Galley/points.dxf')!.async('string')).toMatch(/\$INSUNITS\s+70\s+5\b/);
});

test('what does not hold together under the receiver’s numbers is found', async () => {
  const zip = await handedOver(await keep({ unit: 'cm', up: 'Z', addFrames: 1000 }));
  const name = 'takes/41A-take-3/camera.csv';
  const text = await zip.file(name)!.async('string');
  const list = await zip.file('MANIFEST.sha256')!.async('string');
  const spoiled = async (change: (t: string) => string) => {
    const bytes = change(text);
    const { createHash } = await import('node:crypto');
    const manifest = list.replace(/^[0-9a-f]{64}(?= {2}takes\/41A-take-3\/camera\.csv$)/m, createHash('sha256').update(bytes).digest('hex'));
    const read = async (n: string) => (n === name ? Buffer.from(bytes) : n === 'MANIFEST.sha256' ? Buffer.from(manifest) : zip.file(n)!.async('nodebuffer'));
    return (await checkHandover({ names: namesOf(zip), read })).filter((f) => f.status !== 'good');
  };
  expect(await spoiled((t) => t)).toEqual([]);
  // in the tracks' own numbers; in metres
  expect(await spoiled((t) => t.replace(/^1001,/m, '1,'))).toMatchObject([{ path: name, status: 'wrong', message: expect.stringMatching(/frame 1 stands elsewhere/) }]);
  expect(await spoiled((t) => t.replace(/^1001,10,/m, '1001,0.1,'))).toMatchObject([{ path: name, status: 'wrong' }]);
});

test('what a receiver wants is shown before it leaves; a hidden one can be had no longer, and one of another production never', async () => {
  const mine = await keep({ without: ['usd', 'nets', 'a part of a later version'] });
  const all = (await wrangler.agent.get(server.at(`/days/${id.day}`)).expect(200)).body as { files: { path: string }[]; leftOut: number };
  const his = (await wrangler.agent.get(server.at(`/days/${id.day}?receiver=${mine}`)).expect(200)).body as typeof all;
  const gone = all.files.filter((f) => !his.files.some((g) => g.path === f.path)).map((f) => partOf(f.path)?.id);
  expect([...new Set(gone)].sort()).toEqual(['nets', 'usd']);
  expect([all.leftOut, his.leftOut]).toEqual([0, gone.length]);
  await wrangler.agent.get(server.at(`/days/${id.day}?receiver=nobody`)).expect(422);
  await server.put(wrangler, 'receiver', mine, receiver(), { baseVersion: 1, deleted: true }).expect(200);
  await wrangler.agent.get(server.at(`/days/${id.day}?receiver=${mine}`)).expect(404);
  const theirs = randomUUID();
  await server.db.Entry.create({ ...(await server.db.Entry.findOne({ where: { id: mine } }))!.get({ plain: true }), id: theirs, productionId: server.ids.p2, deleted: false } as never);
  await wrangler.agent.get(server.at(`/days/${id.day}?receiver=${theirs}`)).expect(404);
});

test('a handover keeps whose wishes it followed; what is new since then leaves in the same way', async () => {
  const mine = await keep({ unit: 'mm', takeName: '{slate}-{take}' });
  const first = randomUUID();
  await handedOver(mine, null, first);
  const { handedOver: list } = await planHandover(server.db, server.ids.p1, id.day);
  expect(list.find((h) => h.id === first)).toMatchObject({ receiverId: mine });
  const nothing = await handedOver(mine, first);
  expect(namesOf(nothing).filter((n) => n.startsWith('takes/'))).toEqual([]);
  // another way of counting is another file
  const other = await handedOver(await keep({ unit: 'cm', takeName: '{slate}-{take}' }), first);
  expect(namesOf(other)).toContain('takes/41A-3/camera.csv');
  expect(namesOf(other)).not.toContain('takes/41A-3/tracks/from-elsewhere.csv');
});

test('every file of a day belongs to one part at most, and what belongs to none is what nobody can do without', async () => {
  const { files } = await planHandover(server.db, server.ids.p1, id.day);
  for (const f of files) expect([f.path, HANDOVER_PARTS.filter((p) => p.holds(f.path)).length <= 1]).toEqual([f.path, true]);
  expect(files.filter((f) => !partOf(f.path)).map((f) => f.path.replace(/^takes\/[^/]+\//, ''))).toEqual(
    expect.arrayContaining(['report.html', 'report.pdf', 'missing.csv', 'solve.json', 'takes.csv', 'kit.csv', 'kit.json', 'readings.csv']),
  );
});

test.each([
  ['', /Write a pattern/],
  ['{slate}', /add \{take\} or \{clip\}/],
  ['{slate}-{takes}', /\{takes\} is not known; there are \{scene\}/],
  ['{slate}-{take', /\{take/],
  ['slate}-{take}', /partner/],
])('the pattern "%s" is refused in words', async (takeName, why) => {
  expect(takeNameProblem(takeName)).toMatch(why);
  await server.put(wrangler, 'receiver', randomUUID(), receiver({ takeName })).expect(422);
});
