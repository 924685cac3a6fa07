import { newPlan, type StillBody, type WalkOutcome } from '@mesure/contract';
import { distance, type Vec3 } from '@mesure/core';
import { renderStill, roomPanels, seenAt, type Panel, type StillCamera } from '@mesure/synthetic';
import { randomUUID } from 'node:crypto';
import sharp from 'sharp';
import { startTestServer, type Person, type TestServer } from '../test-server';

/* A walk along a cluttered corner of a room on an own, empty production: one lays it, another shoots it, and both ask where the pictures were taken. */
const MODE = { widthPx: 960, heightPx: 640, sensorWidthMm: 9.6, sensorHeightMm: 6.4, fps: 24 };
const FOCAL_MM = 7.2;
const WRITTEN_MM = 9;
const MARKS: Record<string, Vec3> = { m1: [-1.9, 1.2, -4], m2: [1.6, 1.9, -4] };
const SCREENS: Panel[] = [
  { corner: [-1.2, 0.4, -2.2], along: [1.1, 0, 0.4], up: [0, 1.3, 0], pattern: 77 },
  { corner: [0.6, 0.2, -2.9], along: [0.9, 0, -0.3], up: [0, 1.6, 0], pattern: 78 },
];
const ROOM = [...roomPanels(12, 8, 3, 9), ...SCREENS].map((p): Panel => ({ ...p, perM2: 20 }));
const camera = (i: number): StillCamera => {
  const x = -1.5 + 0.5 * i;
  const { widthPx, heightPx, sensorWidthMm } = MODE;
  return {
    at: [x, 1.5 + 0.06 * Math.sin(3 * i), 1 + 0.3 * Math.cos(i)],
    headingRad: Math.atan2(x * 0.5, 3.4) + 0.03 * Math.sin(7 * i),
    tiltRad: -0.03 + 0.02 * Math.cos(2 * i),
    widthPx,
    heightPx,
    focalPx: (FOCAL_MM * widthPx) / sensorWidthMm,
  };
};
const CAMERAS = Array.from({ length: 7 }, (_, i) => camera(i));
const now = '2026-01-01T08:00:00.000Z';
const id = Object.fromEntries(['body', 'mode', 'lens', 'pack', 'set', 'day', 'setup', 'plan', 'tie', 'piece', ...CAMERAS.map((_, i) => `still${i}`)].map((k) => [k, randomUUID()]));

let server: TestServer, owner: Person, second: Person;
const pictures: StillBody[] = [];
const put = (kind: string, recordId: string, body: object, baseVersion = 0, who = owner) => server.put(who, kind, recordId, body, { baseVersion }).expect(baseVersion === 0 ? 201 : 200);
const placed = async (who: Person) => {
  const a = await server.compute(who, 'walk', id.setup);
  expect([a.status, a.error]).toEqual(['done', null]);
  return a.outcome as WalkOutcome;
};
const staleOf = async () =>
  ((await owner.agent.get(server.at('/analyses')).expect(200)).body.analyses as { subjectId: string; stale: { what: string } | null; outcome: WalkOutcome }[]).find((a) => a.subjectId === id.setup)!;
const refused = (subjectId: string) => owner.agent.post(server.at('/analyses')).set('x-csrf-token', owner.csrf).send({ id: randomUUID(), kind: 'walk', subjectId, options: {} });
const pack = (focalMm: number) => ({ camera: 'S', bodyId: id.body, modeId: id.mode, lensId: id.lens, adapterId: null, focalMm });
const marked = (i: number) => Object.entries(MARKS).map(([mark, at]) => ({ mark, x: seenAt(CAMERAS[i], at)!.xPx, y: seenAt(CAMERAS[i], at)!.yPx }));

beforeAll(async () => {
  server = await startTestServer();
  owner = await server.signIn('owner');
  second = await server.signIn('wrangler');
  await put('body', id.body, { name: 'Sorrel P1', modes: [{ id: id.mode, name: 'small', ...MODE }] });
  await put('lens', id.lens, { name: 'Sorrel fixed', kind: 'prime', minFocalMm: FOCAL_MM, maxFocalMm: WRITTEN_MM, squeeze: 1, serial: '' });
  await put('package', id.pack, pack(WRITTEN_MM));
  await put('set', id.set, { name: 'Loft', marks: Object.keys(MARKS) });
  await put('day', id.day, { name: 'Day 1', date: '2026-01-01' });
  await put('setup', id.setup, { dayId: id.day, setId: id.set, name: 'Corner', scene: '4', order: 1, levelMarks: [], originMark: null, headingMarks: null });
  const stations = CAMERAS.map(({ at, headingRad, tiltRad }) => ({ at: [...at] as Vec3, headingRad, tiltRad }));
  await put('plan', id.plan, {
    ...newPlan(id.setup, id.pack, WRITTEN_MM, { name: '', marks: [] }),
    stillsPlanned: true,
    stills: { way: 'along', pieceId: id.piece, packageId: id.pack, distanceM: 3, heightM: 1.5, overlap: 0.6, stations, taken: [] },
  });
}, 120_000);
afterAll(() => server?.stop());

test('before three pictures are there it says so, and to whom there is no walk too', async () => {
  await refused(id.setup)
    .expect(409)
    .expect(/0 of at least 3 pictures/);
  await refused(id.set).expect(404);
});

test('another one gives the pictures; where they were taken, and that the noted focal length is not the lens’s', async () => {
  for (const [i, c] of CAMERAS.entries()) {
    const { widthPx, heightPx, gray } = renderStill(ROOM, c, { noise: 2, seed: i + 1, blurPx: [0.5, 0.5] });
    const bytes = await sharp(Buffer.from(gray), { raw: { width: widthPx, height: heightPx, channels: 1 } })
      .jpeg({ quality: 92 })
      .toBuffer();
    const name = `loft_${i + 1}.jpg`;
    const { sha256 } = (await server.give(second, bytes, name, 'plate').expect(201)).body as { sha256: string };
    pictures.push({ setupId: id.setup, station: i, picture: { sha256, name }, widthPx, heightPx, notes: null, look: null, shotAt: now, givenAt: now });
    await put('still', id[`still${i}`], pictures[i], 0, second);
  }
  const { placed: walk, stills, reconcile } = await placed(second);
  expect([walk.status, walk.scaledBy]).toEqual(['solved', 'stations']);
  expect(stills.map((s) => s.station)).toEqual([0, 1, 2, 3, 4, 5, 6]);
  walk.stills.forEach((s, i) => expect(distance(s!.position, CAMERAS[i].at as unknown as Vec3)).toBeLessThan(0.03));
  expect(reconcile).toMatchObject({ verdict: 'contradicts', items: [{ quantity: 'focalLength', recorded: WRITTEN_MM, solved: expect.closeTo(FOCAL_MM, 1) }] });
  expect(walk.places.length).toBeGreaterThan(50);
  // lists leave out what is large
  expect((await staleOf()).outcome.placed.places).toEqual([]);
}, 120_000);

test('the record put right, the placing is old; placed anew it agrees', async () => {
  await put('package', id.pack, pack(FOCAL_MM), 1);
  expect((await staleOf()).stale).toMatchObject({ what: expect.stringMatching(/package/) });
  const { reconcile } = await placed(owner);
  expect(reconcile!.verdict).toBe('agrees');
  expect((await staleOf()).stale).toBeNull();
}, 120_000);

test('two marks with a tape between them, pointed out in two pictures, make its metre a measured one', async () => {
  const m = distance(MARKS.m1, MARKS.m2);
  await put('tie', id.tie, { setId: id.set, from: 'm1', to: 'm2', length: { typed: `${m.toFixed(3)} m`, unit: 'm', valueM: m, toleranceM: 0.004 }, instrument: 'tape', measuredAt: now });
  for (const i of [1, 3, 5]) await put('still', id[`still${i}`], { ...pictures[i], marks: marked(i) }, 1, second);
  expect((await staleOf()).stale).not.toBeNull();
  const { placed: walk } = await placed(second);
  expect(walk.scaledBy).toBe('measured');
  const at = (mark: string) => walk.places.find((p) => p.mark === mark)!.position;
  expect(distance(at('m1'), at('m2'))).toBeCloseTo(m, 2);
  // it still lies on the plan
  expect(distance(walk.stills[3]!.position, CAMERAS[3].at as unknown as Vec3)).toBeLessThan(0.15);
}, 120_000);

test('a picture of another camera that does not say its lens is named; removed, the walk goes on without it', async () => {
  const notes = { widthPx: 960, heightPx: 640, shotWidthPx: null, shotHeightPx: null, focalMm: 4, focal35Mm: null, focusM: null, body: 'Teasel 4', lens: null, digitalZoom: null, shotAt: null };
  await put('still', id.still0, { ...pictures[0], notes }, 1, second);
  await refused(id.setup)
    .expect(409)
    .expect(/loft_1\.jpg comes from another camera/);
  await server.put(second, 'still', id.still0, { ...pictures[0], notes }, { baseVersion: 2, deleted: true }).expect(200);
  // what was taken away makes the placing old, as what was changed does
  expect((await staleOf()).stale).toMatchObject({ what: expect.stringMatching(/loft_1\.jpg/) });
  const { placed: walk, stills } = await placed(owner);
  expect(stills.map((s) => s.station)).toEqual([1, 2, 3, 4, 5, 6]);
  expect(walk.status).toBe('solved');
}, 120_000);
