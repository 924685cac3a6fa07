import { blankTake, type SolveOutcome, type TakeBody } from '@mesure/contract';
import { carriedPair, pairRoom, rigAxes } from '@mesure/synthetic';
import JSZip from 'jszip';
import { randomUUID } from 'node:crypto';
import { startTestServer, type Person, type TestServer } from '../test-server';

/* A take whose camera carried a witness: both are given, solved together, judged by how the rig was noted, and leave. */
const now = '2026-01-01T08:00:00.000Z';
const SENSOR = { sensorWidthMm: 24, sensorHeightMm: 13.5 };
const MAIN = { widthPx: 2048, heightPx: 1152, focalMm: 28, ...SENSOR };
const SIDE = { widthPx: 1280, heightPx: 720, focalMm: 9, sensorWidthMm: 12, sensorHeightMm: 6.75 };
const [SEED, SHIFT] = [31, 12];
const room = pairRoom(SEED);
const pair = carriedPair({
  main: MAIN,
  witness: SIDE,
  frames: 36,
  path: (t) => [-0.8 + 1.6 * t, 1.5 + 0.25 * Math.sin(4 * t), 1 - 0.5 * t],
  aim: (t) => [0.9 * Math.sin(3 * t), 1 + 0.5 * Math.cos(5 * t), -4],
  rig: { at: [-0.22, 0.09, 0.04], axes: rigAxes(0.7, 0.1) },
  points: room,
  shift: SHIFT,
  noisePx: 0.3,
  seed: SEED,
});
const csv = (tracks: { track: string; frame: number; x: number; y: number }[]) =>
  Buffer.from(['track,frame,x,y', ...tracks.map((t) => `${t.track},${t.frame},${t.x.toFixed(3)},${t.y.toFixed(3)}`)].join('\n'));
const id = Object.fromEntries(['body', 'hd', 'small', 'lensA', 'zoomW', 'packA', 'packW', 'set', 'day', 'setup', 'take', 'rig'].map((k) => [k, randomUUID()]));
const place = { way: 'rigid', rightM: -0.22, upM: 0.09, forwardM: -0.04, turnRad: 0.7, tiltRad: 0.1 };
const rig = { setupId: id.setup, packageId: id.packW, since: '2026-01-01T07:00:00.000Z', placement: place, toleranceM: 0.01, why: '' };

let server: TestServer, wrangler: Person, other: Person;
let take: TakeBody;
const put = (kind: string, recordId: string, body: object, version = 0) => server.put(wrangler, kind, recordId, body, { baseVersion: version }).expect(version === 0 ? 201 : 200);
const start = (options: object, who = wrangler) => who.agent.post(server.at('/analyses')).set('x-csrf-token', who.csrf).send({ id: randomUUID(), kind: 'solve', subjectId: id.take, options });
let version = 1;
const correct = async (change: Partial<TakeBody>) => {
  take = { ...take, ...change };
  await put('take', id.take, take, version);
  version += 1;
};

beforeAll(async () => {
  server = await startTestServer();
  wrangler = await server.signIn('wrangler');
  other = await server.signIn('supervisor');
  const mode = (modeId: string, name: string, c: typeof MAIN) => ({
    id: modeId,
    name,
    widthPx: c.widthPx,
    heightPx: c.heightPx,
    sensorWidthMm: c.sensorWidthMm,
    sensorHeightMm: c.sensorHeightMm,
    fps: 24,
  });
  await put('body', id.body, { name: 'Tarvik', modes: [mode(id.hd, '2K', MAIN), mode(id.small, 'small', SIDE)] });
  for (const [lens, mm, to] of [['lensA', 28, 28], ['zoomW', 8, 18]] as const) await put('lens', id[lens], { name: lens, kind: mm === to ? 'prime' : 'zoom', minFocalMm: mm, maxFocalMm: to, squeeze: 1, serial: '' }); // prettier-ignore
  await put('package', id.packA, { camera: 'A', bodyId: id.body, modeId: id.hd, lensId: id.lensA, adapterId: null, focalMm: 28 });
  await put('package', id.packW, { camera: 'W', bodyId: id.body, modeId: id.small, lensId: id.zoomW, adapterId: null, focalMm: 9 });
  await put('set', id.set, { name: 'Galley', marks: ['M1', 'M2', 'M3', 'M4'] });
  await put('day', id.day, { name: 'Day 1', date: '2026-01-01' });
  await put('setup', id.setup, { dayId: id.day, setId: id.set, name: 'Carried', scene: '7', order: 1, levelMarks: [], originMark: 'M1', headingMarks: null });
  for (const [a, b] of [['M1', 'M2'], ['M1', 'M3'], ['M2', 'M4']]) {
    const [p, q] = [a, b].map((m) => room.find((r) => r.id === m)!.at);
    const m = Math.hypot(...p.map((v, k) => v - q[k]));
    await put('tie', randomUUID(), { setId: id.set, from: a, to: b, length: { typed: `${m} m`, unit: 'm', valueM: m, toleranceM: 0.002 }, instrument: 'laser', measuredAt: now });
  } // prettier-ignore
  const give = async (bytes: Buffer, name: string) => ({ sha256: (await server.give(wrangler, bytes, name, 'tracks').expect(201)).body.sha256 as string, name });
  const tracks = await give(csv(pair.main.tracks.filter((t) => !t.track.startsWith('g'))), 'a.csv');
  const ofWitness = await give(csv(pair.witness.filter((t) => !t.track.startsWith('f')).map((t) => ({ ...t, track: t.track.replace('g', 'f') }))), 'w.csv');
  take = {
    ...blankTake(id.setup, '7', { id: id.packA, focalMm: 28 }, now),
    tracks,
    witnesses: [{ packageId: id.packW, clip: 'W001', focusM: null, stabiliser: 'off', tracks: ofWitness }],
  };
  await put('take', id.take, take);
}, 120_000);
afterAll(() => server?.stop());

test('what is missing is said one by one: the focal length of a zoom, how the clips ran, a camera that stood on the set', async () => {
  const says = async (words: RegExp) => expect((await start({ withWitness: id.packW }).expect(409)).body).toMatchObject({ code: 'NOT_READY', detail: expect.stringMatching(words) });
  await says(/lens of W-cam zooms: note the focal length/);
  await correct({ witnesses: take.witnesses!.map((w) => ({ ...w, focalMm: 9 })) });
  await says(/how the clip of W-cam ran against the main one/);
  // its clip runs from twelve frames before: the same moment comes twelve frames later in it
  await correct({ timecodeIn: '10:00:00:12', witnesses: take.witnesses!.map((w) => ({ ...w, timecodeIn: '10:00:00:00' })) });
  await put('rig', id.rig, { ...rig, placement: { way: 'free', xM: 1, zM: 0, heightM: 1.5, headingRad: 0, tiltRad: 0 } });
  await says(/W-cam stood on the set/);
  await put('rig', id.rig, rig, 1);
  await start({ withWitness: randomUUID() }).expect(409);
  await start({ withWitness: 'W' }).expect(422);
});

test('both are solved together, the rig agrees with what was noted, and the witness leaves as a camera of its own', async () => {
  const analysis = await server.compute(wrangler, 'solve', id.take, { focalMode: 'held', withWitness: id.packW });
  const { solve, reconcile, witnessSetup } = analysis.outcome as SolveOutcome;
  expect([solve.status, solve.reason]).toEqual(['solved', null]);
  expect(solve.witness).toMatchObject({ name: 'W-cam', addFrames: SHIFT, shared: expect.arrayContaining(['M1', 'M2', 'M3']) });
  expect(Math.hypot(...solve.witness!.translation.map((v, k) => v - [-0.22, 0.09, 0.04][k]))).toBeLessThan(4 * solve.witness!.sigmaM!);
  expect(witnessSetup!.focal.mm).toBe(9);
  expect(
    reconcile!.items
      .filter((i) => i.quantity.startsWith('witness'))
      .map((i) => `${i.about}: ${i.verdict}`)
      .sort(),
  ).toEqual(['forward', 'tilted up', 'to the right', 'turned to the left', 'up'].map((about) => `W-cam, ${about}: agrees`));
  const zip = await JSZip.loadAsync(await server.handOver(wrangler, id.day));
  const names = Object.keys(zip.files);
  expect(names.filter((n) => /w-cam\/camera\./i.test(n)).length).toBeGreaterThan(2);
  expect(names.filter((n) => /tracks\/(witness-1\/)?[aw]\.csv$/.test(n))).toHaveLength(2);
  const rows = (await zip.file(names.find((n) => /w-cam\/camera\.csv$/i.test(n))!)!.async('string')).split('\n').filter((l) => /^\d/.test(l));
  expect(rows).toHaveLength(solve.witness!.frames.length);
});

test('a wrong side of the rig contradicts, by a second person’s eyes too; put right, what was solved before is old', async () => {
  await put('rig', id.rig, { ...rig, placement: { ...place, rightM: 0.22 } }, 2);
  const wrong = (await server.compute(wrangler, 'solve', id.take, { focalMode: 'held', withWitness: id.packW })).outcome as SolveOutcome;
  const item = wrong.reconcile!.items.find((i) => i.about === 'W-cam, to the right')!;
  expect(item).toMatchObject({ verdict: 'contradicts', causes: [{ cause: 'sign' }] });
  expect(item.solved).toBeCloseTo(-0.22, 2);
  await put('rig', id.rig, rig, 3);
  const listed = (await other.agent.get(server.at('/analyses')).expect(200)).body.analyses as { subjectId: string; stale: object | null }[];
  expect(listed.find((a) => a.subjectId === id.take)!.stale).toMatchObject({ what: expect.stringMatching(/rig/) });
});

test('a timecode that is a frame off is found by the two cameras themselves', async () => {
  await correct({ timecodeIn: '10:00:00:13' });
  const { solve } = (await server.compute(wrangler, 'solve', id.take, { focalMode: 'held', withWitness: id.packW })).outcome as SolveOutcome;
  expect(solve.status).toBe('partial');
  expect(solve.reason).toMatch(/with a shift of 12 instead of 13 frames they turn as one/);
});
