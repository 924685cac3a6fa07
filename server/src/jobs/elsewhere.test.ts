import { roomShot } from '@mesure/synthetic';
import { matToQuat, type Vec3 } from '@mesure/core';
import { randomUUID } from 'node:crypto';
import { blankTake, type Analysis, type ElsewhereOutcome } from '@mesure/contract';
import { startTestServer, type Person, type TestServer } from '../test-server';

const now = '2026-01-01T08:00:00.000Z';
const { shot, floorMarks, points } = roomShot({ widthPx: 1920, heightPx: 1012, focalMm: 32, sensorWidthMm: 24, sensorHeightMm: 12.65, frames: 24, noisePx: 0.2 });
const placeOf = new Map(points.map((p) => [p.id, p.at]));
const [a, b] = floorMarks;
const level = floorMarks.slice(0, 6);
const wall = points.find((p) => p.at[1] > 1)!.id;
const id = { body: randomUUID(), mode: randomUUID(), lens: randomUUID(), pack: randomUUID(), set: randomUUID(), day: randomUUID(), setup: randomUUID(), take: randomUUID() };
const length = (valueM: number) => ({ typed: `${valueM} m`, unit: 'm', valueM, toleranceM: 0.006 });
let server: TestServer, wrangler: Person, guest: Person;

/** The true camera in centimetres with Z up, its frames counted from 1001, as another program writes it. */
const usda = (focal = 32) => `#usda 1.0
(
    metersPerUnit = 0.01
    upAxis = "Z"
    timeCodesPerSecond = 24
)
def Camera "cam"
{
    float focalLength = ${focal}
    float horizontalAperture = 24
    double3 xformOp:translate.timeSamples = {
${shot.cameras.map((f) => `        ${1000 + f.frame}: (${f.position[0] * 100}, ${-f.position[2] * 100}, ${f.position[1] * 100}),`).join('\n')}
    }
    quatd xformOp:orient.timeSamples = {
${shot.cameras
  .map((f) => {
    // our axes to Z up: (x, y, z) becomes (x, −z, y)
    const z = ([p, q, r]: Vec3): Vec3 => [p, -r, q];
    const [right, up, back] = [z(f.right), z(f.down.map((v) => -v) as unknown as Vec3), z(f.forward.map((v) => -v) as unknown as Vec3)];
    const [x, y, zz, w] = matToQuat([right[0], up[0], back[0], right[1], up[1], back[1], right[2], up[2], back[2]]);
    return `        ${1000 + f.frame}: (${w}, ${x}, ${y}, ${zz}),`;
  })
  .join('\n')}
    }
    uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:orient"]
}
`;
const pointsCsv = () => `id,x,y,z,unit,up\n${points.map((p) => `${p.id},${p.at[0] * 100},${-p.at[2] * 100},${p.at[1] * 100},cm,Z`).join('\n')}\n`;
const give = async (text: string, name: string) => ({ sha256: (await server.give(wrangler, Buffer.from(text), name, 'move').expect(201)).body.sha256 as string, name });
const reading = { unit: 'cm', up: 'Z', looks: '-Z', addFrames: 0, world: 'own' };

interface Compared {
  id: string;
  analysis: Analysis;
  outcome: ElsewhereOutcome | null;
}
async function compared(body: object, earlier?: string): Promise<Compared> {
  const recordId = earlier ?? randomUUID();
  await server
    .put(wrangler, 'elsewhere', recordId, { takeId: id.take, points: null, reading: null, order: null, givenAt: now, ...body }, earlier ? { baseVersion: 1 } : {})
    .expect(earlier ? 200 : 201);
  const analysis = await server.compute(wrangler, 'elsewhere', recordId);
  return { id: recordId, analysis, outcome: analysis.outcome?.kind === 'elsewhere' ? analysis.outcome : null };
}
const listed = async (subjectId: string): Promise<Analysis> =>
  ((await wrangler.agent.get(server.at('/analyses')).expect(200)).body.analyses as Analysis[]).filter((q) => q.subjectId === subjectId).sort((p, q) => (p.createdAt < q.createdAt ? 1 : -1))[0];
const takeBody = (change: object = {}) => ({ ...blankTake(id.setup, '7A', { id: id.pack, focalMm: 32 }, now), height: { ...length(1.4), takenAt: 'lens axis', offsetM: 0 }, ...change });

beforeAll(async () => {
  server = await startTestServer();
  wrangler = await server.signIn('wrangler');
  guest = await server.signIn('guest');
  await server.put(wrangler, 'body', id.body, { name: 'Tarvik', modes: [{ id: id.mode, name: '2K', widthPx: 1920, heightPx: 1012, sensorWidthMm: 24, sensorHeightMm: 12.65, fps: 24 }] }).expect(201);
  await server.put(wrangler, 'lens', id.lens, { name: 'Orrinel 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: '' }).expect(201);
  await server.put(wrangler, 'package', id.pack, { camera: 'A', bodyId: id.body, modeId: id.mode, lensId: id.lens, adapterId: null, focalMm: 32 }).expect(201);
  await server.put(wrangler, 'set', id.set, { name: 'Galley', marks: [...level, wall] }).expect(201);
  await server.put(wrangler, 'day', id.day, { name: 'Day 1', date: '2026-01-01' }).expect(201);
  await server.put(wrangler, 'setup', id.setup, { dayId: id.day, setId: id.set, name: 'Dolly', scene: '41', order: 1, levelMarks: level, originMark: a, headingMarks: null }).expect(201);
  const far = (p: string, q: string) => Math.hypot(...placeOf.get(p)!.map((v, k) => v - placeOf.get(q)![k]));
  for (const [p, q] of [
    [a, b],
    [b, wall],
  ])
    await server.put(wrangler, 'tie', randomUUID(), { setId: id.set, from: p, to: q, length: length(far(p, q)), instrument: 'laser', measuredAt: now }).expect(201);
  await server.put(wrangler, 'take', id.take, takeBody()).expect(201);
});
afterAll(() => server?.stop());

test('a solve of another program is tied to the set and agrees; its frame numbers are doubted until they are said', async () => {
  const file = await give(usda(), 'move.usda');
  const shifted = await compared({ file, points: await give(pointsCsv(), 'points.csv') });
  expect(shifted.analysis.error).toBeNull();
  expect(shifted.outcome!.says).toMatchObject({ format: 'USD text', metres: 0.01, up: 'Z', firstFrame: 1001, points: points.length, hasFocal: true });
  expect(shifted.outcome!.doubts.map((d) => [d.code, d.instead])).toEqual([['frames', { addFrames: -1000 }]]);
  const { outcome } = await compared({ file, points: await give(pointsCsv(), 'points.csv'), reading: { ...reading, addFrames: -1000 } }, shifted.id);
  expect(outcome!.doubts).toEqual([]);
  expect(outcome!.reconcile!.items.filter((i) => i.verdict === 'agrees').map((i) => i.quantity)).toEqual(expect.arrayContaining(['focalLength', 'cameraHeight', 'length']));
  expect(outcome!.scale!.factor).toBeCloseTo(1, 2);
  // seen from the list, without what is large in it
  const seen = (await listed(shifted.id)).outcome as ElsewhereOutcome;
  expect(seen.solve.frames).toEqual([]);
  expect(seen.reconcile!.verdict).toBe(outcome!.reconcile!.verdict);
});

test('another focal length than was recorded is contradicted with its cause', async () => {
  const { outcome } = await compared({ file: await give(usda(32 * 0.71), 'reduced.usda'), points: await give(pointsCsv(), 'points.csv'), reading: { ...reading, addFrames: -1000 } });
  expect(outcome!.reconcile!.items[0]).toMatchObject({ quantity: 'focalLength', verdict: 'contradicts' });
  expect(outcome!.reconcile!.items[0].causes[0].title).toMatch(/0\.71/);
});

test('what the take says changed, and the comparison says so', async () => {
  const { id: recordId } = await compared({ file: await give(usda(), 'move.usda') });
  await server.put(wrangler, 'take', id.take, takeBody({ focalMm: 35 }), { baseVersion: 1 }).expect(200);
  expect((await listed(recordId)).stale).toMatchObject({ what: expect.stringContaining('7A') as string });
});

test('a file that cannot be read is said in words, what is no move at all is refused when it is given, and a guest gives nothing', async () => {
  const { analysis } = await compared({ file: await give('#usda 1.0\ndef Xform "a"\n{\n}\n', 'empty.usda') });
  expect(analysis).toMatchObject({ status: 'failed', error: 'empty.usda: holds no camera' });
  const refused = await server.give(wrangler, Buffer.from([1, 0, 2, 0, 3]), 'x.bin', 'move').expect(422);
  expect(refused.body.detail).toMatch(/neither glTF nor text/);
  await server.give(guest, Buffer.from('a'), 'x.csv', 'move').expect(403);
  await server.put(guest, 'elsewhere', randomUUID(), { takeId: id.take, file: { sha256: 'a'.repeat(64), name: 'x' }, points: null, reading: null, order: null, givenAt: now }).expect(403);
});
