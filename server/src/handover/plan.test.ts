import { createHash, randomUUID } from 'node:crypto';
import { readdirSync, readFileSync, rmSync } from 'node:fs';
import path from 'node:path';
import JSZip from 'jszip';
import sharp from 'sharp';
import type { KeptHandover, SolveOutcome } from '@mesure/contract';
import { readTiesCsv } from '@mesure/formats';
import { readFdl } from '@mesure/formats/fdl';
import { wordsOf } from '../../../formats/src/test-pdf';
import Papa from 'papaparse';
import { fromArrayBuffer } from 'geotiff';
import { buildInput } from '../jobs/inputs';
import { planHandover } from './plan';
import { UNTOLD } from './takes-table';
import { bytesOf, startTestServer, type Person, type TestServer } from '../test-server';

const now = '2026-01-01T08:00:00.000Z';
let server: TestServer, wrangler: Person;
const id = { body: randomUUID(), mode: randomUUID(), lens: randomUUID(), pack: randomUUID(), set: randomUUID(), day: randomUUID(), setup: randomUUID() };
const height = { typed: '4\' 7 1/4"', unit: 'ft-in', valueM: 1.40335, toleranceM: 0.003, takenAt: 'lens axis', offsetM: 0 };
let tracks = { sha256: '', name: 't.csv' };
const takeBody = (change: object = {}) => ({
  setupId: id.setup,
  slate: '7/A',
  take: 1,
  packageId: id.pack,
  focalMm: 32,
  focusM: 3,
  height,
  heightFrame: 1,
  circled: false,
  notes: '',
  tracks,
  loggedAt: now,
  carried: [],
  ...change,
});

/** The smallest outcome of a solve that can be handed over. */
const outcome = (verdict: string, change: object = {}): SolveOutcome =>
  ({
    kind: 'solve',
    setup: { image: { width: 100, height: 50 }, sensor: { widthMm: 24, heightMm: 12 }, focal: { mm: 32 }, fps: 24 },
    reconcile: { verdict, sentence: '', items: [] },
    solve: {
      status: 'solved',
      focalMm: 32,
      sigmaFocalMm: 0.05,
      rmsPx: 0.3,
      anchoring: { scale: 1, sigmaScalePct: 0.1, datum: [], residuals: [] },
      width: 100,
      height: 50,
      frames: [
        { frame: 1, position: [0, 1.4, 0], rotation: [0, 0, 0, 1], focalMm: 32, rmsPx: 0.3, tracks: 9 },
        { frame: 2, position: [0.1, 1.4, 0], rotation: [0, 0, 0, 1], focalMm: 32, rmsPx: 0.3, tracks: 9 },
      ],
      points: [{ track: 'K1', position: [0, 0, -3], sigmaM: 0.001, rmsPx: 0.2, observations: 2 }],
      ...change,
    },
  }) as unknown as SolveOutcome;

async function take(change: object, solved?: SolveOutcome, ageMs = 0) {
  const takeId = randomUUID();
  await server.put(wrangler, 'take', takeId, takeBody(change)).expect(201);
  if (solved) await addSolve(takeId, solved, ageMs);
  return takeId;
}
const addSolve = (subjectId: string, solved: SolveOutcome, ageMs = 0) =>
  server.db.AnalysisRow.create({
    id: randomUUID(),
    productionId: server.ids.p1,
    kind: 'solve',
    subjectId,
    status: 'done',
    input: {} as never,
    outcome: solved,
    error: null,
    createdAt: new Date(Date.now() - ageMs),
    finishedAt: new Date(),
  });
const plan = () => planHandover(server.db, server.ids.p1, id.day);
/** The day handed over, its zip opened. */
const handedOver = async (to = 'Post', supplementTo: string | null = null, handoverId: string = randomUUID(), maps: object = {}): Promise<JSZip> =>
  JSZip.loadAsync(await server.handOver(wrangler, id.day, { id: handoverId, to, supplementTo, ...maps }));
const lacks = async (takeId: string) => (await plan()).missing.filter((m) => m.takeId === takeId).map((m) => m.what);

beforeAll(async () => {
  server = await startTestServer({ worker: false });
  wrangler = await server.signIn('wrangler');
  await server.put(wrangler, 'body', id.body, { name: 'Tarvik', modes: [{ id: id.mode, name: '1K', widthPx: 960, heightPx: 480, sensorWidthMm: 12, sensorHeightMm: 6, fps: 24 }] }).expect(201);
  await server.put(wrangler, 'lens', id.lens, { name: 'Orrinel 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: '' }).expect(201);
  await server.put(wrangler, 'package', id.pack, { camera: 'A', bodyId: id.body, modeId: id.mode, lensId: id.lens, adapterId: null, focalMm: 32 }).expect(201);
  tracks = { ...tracks, sha256: (await server.give(wrangler, Buffer.from('frame,track,x,y\n1,K1,10,20\n2,K1,11,20\n'), 't.csv', 'tracks').expect(201)).body.sha256 as string };
  await server.put(wrangler, 'set', id.set, { name: 'Galley', marks: [] }).expect(201);
  await server.put(wrangler, 'day', id.day, { name: 'Day 1/2', date: '2026-01-01' }).expect(201);
  await server.put(wrangler, 'setup', id.setup, { dayId: id.day, setId: id.set, name: 'Dolly', scene: '41', order: 1, levelMarks: [], originMark: null, headingMarks: null }).expect(201);
});
afterAll(() => server?.stop());

test('what a take lacks is said, each thing once', async () => {
  const bare = await take({ take: 1, height: null, focusM: null, tracks: null });
  expect(await lacks(bare)).toEqual(['camera height', 'focus distance', 'tracks for a test solve', 'a grid plate of Orrinel 32']);
  const unsolved = await take({ take: 2 });
  expect(await lacks(unsolved)).toEqual(['a test solve']);
});

test('a contradiction that nobody answered is missing; the newest solve counts', async () => {
  const takeId = await take({ take: 3 }, outcome('contradicts'), 60_000);
  // older than the take itself, it answers for another record too
  expect(await lacks(takeId)).toContain('an answer to the contradiction found by the test solve');
  await addSolve(takeId, outcome('agrees'));
  expect(await lacks(takeId)).toEqual([]);
});

test('two takes of one slate and number both leave, each with a folder of its own, under names that are safe', async () => {
  await take({ slate: 'Ü/9 B', take: 5 }, outcome('agrees'));
  await take({ slate: 'Ü/9 B', take: 5 }, outcome('agrees'));
  const { files, name } = await plan();
  const paths = files.map((f) => f.path);
  expect(new Set(paths).size).toBe(paths.length);
  expect(paths).toEqual(expect.arrayContaining(['takes/U-9-B-take-5/camera.glb', 'takes/U-9-B-take-5-2/camera.glb']));
  for (const p of paths) expect(p).toMatch(/^[\w./-]+$/);
  expect(name).toBe('2026-01-01-Day-1-2');
});

test('readings keep the form in which they were measured, beside the value', async () => {
  const { files } = await plan();
  const csv = String(await files.find((f) => f.path === 'readings.csv')!.make());
  expect(csv).toContain('7 1/4');
  expect(csv).toContain('1.40335');
});

test('the log leaves whole: every field of a take, angles and distances among the readings, how a witness camera was mounted', async () => {
  await take({
    slate: '50',
    take: 1,
    tracks: null,
    stop: 2.8,
    movers: ['cat', 'curtain'],
    carried: ['height'],
    height: { ...height, repeatsM: [1.402, 1.4047], instrument: 'laser' },
    tilt: { typed: '-3.5', valueRad: (-3.5 * Math.PI) / 180, toleranceRad: 0.0035, instrument: 'inclinometer' },
    distance: { to: 'stove', typed: '3.42 m', unit: 'm', valueM: 3.42, toleranceM: 0.005 },
    witnesses: [{ packageId: id.pack, clip: 'W003', focusM: null, stabiliser: 'off' }],
  });
  await server
    .put(wrangler, 'rig', randomUUID(), {
      setupId: id.setup,
      packageId: id.pack,
      since: now,
      placement: { way: 'rigid', rightM: 0.12, upM: 0, forwardM: 0, turnRad: 0, tiltRad: 0 },
      toleranceM: 0.005,
      why: 'bumped',
    })
    .expect(201);
  await server.put(wrangler, 'light', randomUUID(), { setupId: id.setup, what: 'grey ball', place: null, shotAt: now, sun: { azimuthDeg: 212.5, elevationDeg: 18.2 }, note: 'cloud' }).expect(201);
  const { files } = await plan();
  const read = async (path: string) => String(await files.find((f) => f.path === path)!.make());
  const [row] = Papa.parse<Record<string, string>>(await read('takes.csv'), { header: true, skipEmptyLines: true }).data.filter((r) => r.slate === '50');
  expect(row).toMatchObject({
    setup: 'Dolly',
    // the take names no scene: it is one of its setup's
    scene: '41',
    take: '1',
    body: 'Tarvik',
    mode: '1K',
    sensor_width_mm: '12',
    lens: 'Orrinel 32',
    focal_marked_mm: '32',
    focal_effective_mm: '32',
    t_stop: '2.8',
    moving_things: 'cat, curtain',
    witness_clips: 'A: W003',
    // one unit a column, and no apostrophe before a number
    pupil_height_m: '1.40335',
    tilt_deg: '-3.5',
    distance_to: 'stove',
    distance_m: '3.42',
    focus_m: '3',
    carried_over: 'Camera height',
    by: 'wrangler',
    folder: 'takes/50-take-1',
  });
  expect(UNTOLD).toEqual([]);
  const readings = await read('readings.csv');
  expect(readings).toContain('50-1,tilt,,-3.5,deg,-3.5,0.200535,inclinometer');
  // carried over is not measured, in every file
  expect(readings).toMatch(/50-1,camera height,.*,laser,lens axis,carried over,/);
  expect(readings).toMatch(/50-1,tilt,.*,measured,/);
  expect(readings).toContain('50-1,distance,to stove,3.42,m,3.42 m,0.005');
  expect(readings).toContain('mean of 1.402 m, 1.405 m');
  expect(await read('light-reference.csv')).toContain(`Dolly,grey ball,,${now},212.5,18.2,cloud,wrangler`);
  expect(JSON.parse(await read('witness-cameras.json'))).toMatchObject({ states: [{ camera: 'A', placement: { rightM: 0.12 }, why: 'bumped' }] });
  const table = async (path: string) => Papa.parse<Record<string, string>>(await read(path), { header: true, skipEmptyLines: true }).data;
  expect(await table('witness-cameras.csv')).toMatchObject([
    { setup: 'Dolly', camera: 'A', way: 'on the main camera', right_m: '0.12', turn_to_left_deg: '0', x_m: '', tolerance_m: '0.005', why: 'bumped', by: 'wrangler' },
  ]);
});

test('how each witness camera ran against the main one leaves, with what speaks for it and what contradicts', async () => {
  const witness = randomUUID();
  const { body } = (await server.db.Entry.findOne({ where: { id: id.pack, kind: 'package' } }))!;
  await server.put(wrangler, 'package', witness, { ...body, camera: 'W' }).expect(201);
  const witnessed = { tracks: null, witnesses: [{ packageId: witness, clip: 'W007', focusM: null, stabiliser: 'off', timecodeIn: '10:00:01:00' }] };
  const known = await take({ slate: '51', take: 1, timecodeIn: '10:00:02:00', ...witnessed });
  await take({ slate: '51', take: 2, ...witnessed });
  const rig = { setupId: id.setup, packageId: witness, placement: { way: 'free', xM: 2, zM: -1, heightM: 1.6, headingRad: Math.PI / 6, tiltRad: -0.1 }, toleranceM: 0.01 };
  const before = new Date(Date.parse(now) - 3_600_000).toISOString();
  const after = new Date(Date.parse(now) + 3_600_000).toISOString();
  await server.put(wrangler, 'rig', randomUUID(), { ...rig, since: before, why: 'first' }).expect(201);
  // somebody touched it after these takes
  await server.put(wrangler, 'rig', randomUUID(), { ...rig, since: after, why: 'touched' }).expect(201);
  // the clap says 30 frames where the clocks say 24: six frames apart
  await server.put(wrangler, 'sync', randomUUID(), { takeId: known, packageId: witness, main: null, witness: null, clap: { mainFrame: 10, witnessFrame: 40 } }).expect(201);
  const { files } = await plan();
  const table = async (path: string) => Papa.parse<Record<string, string>>(String(await files.find((f) => f.path === path)!.make()), { header: true, skipEmptyLines: true }).data;
  const syncs = (await table('syncs.csv')).filter((r) => r.take.startsWith('51'));
  expect(syncs).toMatchObject([
    { take: '51 take 1', camera: 'W', clip: 'W007', mounted_since: before, timecode_s: '1', clap_s: '1.25', sound_s: '', fps_of_main: '24' },
    { take: '51 take 2', camera: 'W', later_by_s: '', by: 'not known' },
  ]);
  expect(syncs[0].contradictions).toMatch(/timecode and clap differ by 0.250 s: the clocks are 6 frames apart/);
  expect((await table('witness-cameras.csv')).filter((r) => r.camera === 'W')).toMatchObject([
    { way: 'on the set', x_m: '2', z_m: '-1', height_m: '1.6', heading_deg: '30', right_m: '', why: 'first' },
    { why: 'touched', since: after },
  ]);
});

test('pictures leave as they were given, each with what it is: stills by station, the light by exposure, marks by place', async () => {
  const give = async (name: string, grey: number) => {
    const bytes = await sharp({ create: { width: 64, height: 48, channels: 3, background: { r: grey, g: grey, b: grey } } })
      .png()
      .toBuffer();
    const { body } = await server.give(wrangler, bytes, name, 'plate').expect(201);
    return { bytes, ref: { sha256: body.sha256 as string, name } };
  };
  const [wall, slate, ball, set] = [await give('wall 1.png', 40), await give('slate.png', 80), await give('ball.png', 120), await give('set.png', 160)];
  const size = { widthPx: 64, heightPx: 48 };
  await server.put(wrangler, 'still', randomUUID(), { setupId: id.setup, station: 2, picture: wall.ref, ...size, notes: null, look: null, shotAt: now, givenAt: now }).expect(201);
  await take({ slate: '60', take: 1, tracks: null, pictures: [slate.ref] });
  await server
    .put(wrangler, 'light', randomUUID(), {
      setupId: id.setup,
      what: 'grey ball',
      place: null,
      shotAt: now,
      sun: null,
      note: '',
      pictures: [{ ...ball.ref, exposure: { seconds: 1 / 64, fNumber: 8, iso: 100 } }],
    })
    .expect(201);
  await server.put(wrangler, 'photo', randomUUID(), { setId: id.set, picture: set.ref, ...size, marks: [{ mark: 'K1', x: 10.5, y: 20 }], shotAt: now }).expect(201);
  const { files } = await plan();
  const read = async (path: string) => String(await files.find((f) => f.path === path)!.make());
  expect(await read('stills.csv')).toContain(`Dolly,3,stills/Dolly/03-wall-1.png,${now},,,,,,64,48,,,,,,wrangler`);
  expect(await read('light-pictures.csv')).toContain('Dolly,grey ball,,light/Dolly/grey-ball-ball.png,0.015625,8,100,-12');
  expect(await read('marks.csv')).toContain('Galley,K1,marks/Galley-set.png,10.5,20');
  const opened = await handedOver();
  const unzipped = async (name: string) => opened.file(name)!.async('nodebuffer');
  for (const [name, { bytes }] of Object.entries({
    'stills/Dolly/03-wall-1.png': wall,
    'takes/60-take-1/pictures/slate.png': slate,
    'light/Dolly/grey-ball-ball.png': ball,
    'marks/Galley-set.png': set,
  }))
    expect((await unzipped(name)).equals(bytes)).toBe(true);
  expect((await unzipped('CONTENTS.txt')).toString()).toContain('stills/Dolly/03-wall-1.png  still of station 3');
});

test('a picture that was lined up leaves with its marks and with where the camera stood by it, in the space of who gets it', async () => {
  const bytes = await sharp({ create: { width: 384, height: 192, channels: 3, background: { r: 9, g: 9, b: 9 } } })
    .png()
    .toBuffer();
  const { body } = await server.give(wrangler, bytes, 'frame.png', 'plate').expect(201);
  const set = randomUUID();
  await server.put(wrangler, 'set', set, { name: 'Line-up room', marks: [] }).expect(201);
  const where: Record<string, [number, number, number]> = { U1: [-1.2, 0, -2.2], U2: [1.3, 0.1, -2.3], U3: [0.2, 0.9, -3.6], U4: [-1.5, 1.6, -4.6], U5: [0.4, 1.9, -4.1] };
  for (const [mark, at] of Object.entries(where))
    await server.put(wrangler, 'fact', randomUUID(), { setId: set, what: 'point', marks: [mark], length: null, at, toleranceM: 0.004, measuredAt: now }).expect(201);
  const setup = randomUUID();
  await server.put(wrangler, 'setup', setup, { dayId: id.day, setId: set, name: 'Line-up', scene: '90', order: 9, levelMarks: [], originMark: null, headingMarks: null }).expect(201);
  const taken = await take({ setupId: setup, slate: '90', take: 1, tracks: null });
  // a camera at (0.1, 1.4, 1.1) that looks straight along −Z, in a picture of four tenths of the recorded size
  const f = (32 / 12) * 384;
  const marks = Object.entries(where).map(([mark, [x, y, z]]) => ({ mark, x: 192 + (f * (x - 0.1)) / (1.1 - z), y: 96 - (f * (y - 1.4)) / (1.1 - z) }));
  await server
    .put(wrangler, 'lineup', randomUUID(), { takeId: taken, picture: { sha256: body.sha256, name: 'frame.png' }, widthPx: 384, heightPx: 192, marks, focal: 'held', stood: 'elsewhere', shotAt: now })
    .expect(201);
  const { files } = await plan();
  const rows = String(await files.find((q) => q.path === 'line-ups.csv')!.make())
    .trim()
    .split('\n');
  const cell = (name: string) => rows[1].split(',')[rows[0].split(',').indexOf(name)];
  expect([cell('take'), cell('file'), cell('status'), cell('unit'), cell('up')]).toEqual(['90 take 1', 'takes/90-take-1/line-ups/frame.png', 'solved', 'm', 'Y']);
  expect(Number(cell('x'))).toBeCloseTo(0.1, 4);
  expect(Number(cell('y'))).toBeCloseTo(1.4, 4);
  expect(Number(cell('z'))).toBeCloseTo(1.1, 4);
  expect(String(await files.find((q) => q.path === 'line-up-marks.csv')!.make()).split('\n')).toHaveLength(7);
  expect(files.find((q) => q.path === 'takes/90-take-1/line-ups/frame.png')!.stored).toBe(body.sha256);
  expect(String(await files.find((q) => q.path === 'line-up-lengths.csv')!.make()).trim()).toBe('take,file,what,measured_m,sigma_m,off_m,left_out');
  // on a set that only has lengths between marks on its floor, the frame is the camera's own, and is said
  const bareSet = randomUUID();
  await server.put(wrangler, 'set', bareSet, { name: 'Bare floor', marks: [] }).expect(201);
  const lies: Record<string, [number, number, number]> = { Q1: [-1.2, 0, -2.2], Q2: [1.3, 0, -2.3], Q3: [1.5, 0, -4.4], Q4: [-1.3, 0, -4.9] };
  for (const pair of ['Q1 Q2', 'Q2 Q3', 'Q3 Q4', 'Q4 Q1', 'Q1 Q3']) {
    const [from, to] = pair.split(' ');
    const m = Math.hypot(...lies[from].map((v, k) => v - lies[to][k]));
    await server
      .put(wrangler, 'tie', randomUUID(), { setId: bareSet, from, to, length: { typed: `${m.toFixed(3)} m`, unit: 'm', valueM: m, toleranceM: 0.004 }, instrument: 'tape', measuredAt: now })
      .expect(201);
  }
  const bare = randomUUID();
  await server.put(wrangler, 'setup', bare, { dayId: id.day, setId: bareSet, name: 'Bare', scene: '91', order: 10, levelMarks: Object.keys(lies), originMark: null, headingMarks: null }).expect(201);
  const marked = Object.entries(lies).map(([mark, [x, y, z]]) => ({ mark, x: 192 + (f * (x - 0.1)) / (1.1 - z), y: 96 - (f * (y - 1.4)) / (1.1 - z) }));
  const second = await take({ setupId: bare, slate: '91', take: 1, tracks: null });
  await server
    .put(wrangler, 'lineup', randomUUID(), {
      takeId: second,
      picture: { sha256: body.sha256, name: 'floor.png' },
      widthPx: 384,
      heightPx: 192,
      marks: marked,
      focal: 'held',
      stood: 'elsewhere',
      shotAt: now,
    })
    .expect(201);
  const more = (await plan()).files;
  const lines = String(await more.find((q) => q.path === 'line-ups.csv')!.make())
    .trim()
    .split('\n')
    .map((l) => l.split(','));
  const of = (row: string[], name: string) => row[lines[0].indexOf(name)];
  expect(lines.slice(1).map((l) => [of(l, 'take'), of(l, 'frame')])).toEqual([
    ['90 take 1', 'places'],
    ['91 take 1', 'floor'],
  ]);
  expect(Number(of(lines[2], 'y'))).toBeCloseTo(1.4, 2);
  const measured = String(await more.find((q) => q.path === 'line-up-lengths.csv')!.make());
  expect(measured.trim().split('\n')).toHaveLength(10);
  expect(measured).toMatch(/91 take 1,takes\/91-take-1\/line-ups\/floor.png,the length Q1 – Q2,2\.50/);
});

test('a handover that is kept on the server is whole there, is fetched in parts, and lies in the folder beside one of the same name', async () => {
  const kept = async (): Promise<KeptHandover> =>
    (
      await wrangler.agent
        .post(server.at(`/days/${id.day}/handovers`))
        .set('x-csrf-token', wrangler.csrf)
        .send({ id: randomUUID(), to: 'Lisk', supplementTo: null, target: 'server' })
        .expect(201)
    ).body as KeptHandover;
  const [first, second] = [await kept(), await kept()];
  expect(path.basename(first.copiedTo!)).toBe(first.name);
  expect(path.basename(second.copiedTo!)).toBe(first.name.replace('.zip', '-2.zip'));
  const bytes = readFileSync(first.copiedTo!);
  expect(createHash('sha256').update(bytes).digest('hex')).toBe(first.sha256);
  expect(bytes.length).toBe(first.sizeBytes);
  // nothing half lies beside them
  expect(readdirSync(path.dirname(first.copiedTo!)).filter((f) => f.endsWith('.part'))).toEqual([]);
  const opened = await JSZip.loadAsync(bytes);
  expect(Object.keys(opened.files)).toEqual(expect.arrayContaining(['CONTENTS.txt', 'MANIFEST.sha256', 'takes.csv']));
  const guest = await server.signIn('guest');
  const file = () =>
    guest.agent
      .get(server.at(`/files/${first.sha256}`))
      .buffer()
      .parse(bytesOf);
  const whole = await file().expect(200);
  expect((whole.body as Buffer).equals(bytes)).toBe(true);
  // cut after 100 bytes: the rest of the same file, and of no other
  const rest = await file().set('Range', 'bytes=100-').set('If-Range', String(whole.headers.etag)).expect(206);
  expect((rest.body as Buffer).equals(bytes.subarray(100))).toBe(true);
  expect((await file().set('Range', 'bytes=100-').set('If-Range', '"another"').expect(200)).headers['content-length']).toBe(String(bytes.length));
  expect((await plan()).handedOver[0]).toMatchObject({ to: 'Lisk', zip: { sha256: second.sha256, name: second.name } });
  // whoever directs lets them go: while one still names the bytes they stay, and that the day was handed over always does
  const zips = (await plan()).handedOver.filter((h) => h.zip?.sha256 === first.sha256);
  expect(zips.length).toBeGreaterThan(0);
  const remove = (who: Person, handoverId: string) => who.agent.delete(server.at(`/days/${id.day}/handovers/${handoverId}/zip`)).set('x-csrf-token', who.csrf);
  await remove(guest, zips[0].id).expect(403);
  const owner = await server.signIn('owner');
  for (const [i, { id: handoverId }] of zips.entries()) {
    await remove(owner, handoverId).expect(204);
    await file().expect(i < zips.length - 1 ? 200 : 404);
  }
  expect((await plan()).handedOver.find((h) => h.id === zips[0].id)).toMatchObject({ to: 'Lisk', zip: null });
  expect((await remove(owner, zips[0].id).expect(404)).body.detail).toMatch(/No zip of this handover/);
});

test('a solve without a scale, or of a part of the take, says so in its names, in its files and among what is missing', async () => {
  const unscaled = await take({ slate: '81', take: 1 }, outcome('not observable', { status: 'partial', anchoring: { scale: null, sigmaScalePct: null, datum: [], residuals: [] } }));
  expect(await lacks(unscaled)).toEqual([expect.stringMatching(/^the rest of the take: the solve holds frames 1 to 2 only/), expect.stringMatching(/^a scale: no length, height or surveyed place/)]);
  const { files } = await plan();
  const mine = files.filter((f) => f.path.startsWith('takes/81-'));
  expect(mine.map((f) => f.path.replace(/.*\//, ''))).toEqual(expect.arrayContaining(['camera.partial.unscaled.glb', 'points.partial.unscaled.csv', 'solve.json']));
  // a format that knows metres only does not carry it
  expect(mine.some((f) => f.path.includes('tracking'))).toBe(false);
  const solve = JSON.parse(String(await mine.find((f) => f.path.endsWith('solve.json'))!.make()));
  expect(solve).toMatchObject({
    status: 'partial',
    facts: { unit: 'of the solve', frames: { first: 1, last: 2 }, world: expect.stringContaining('unit of its own'), camera: expect.stringContaining('-Z') },
    setup: { focal: { mm: 32 } },
  });
});

test('the kit list says what was mounted since when for which take; the tape net leaves adjusted, with its ties as they can be read again', async () => {
  const tie = (from: string, to: string, m: number) =>
    server.put(wrangler, 'tie', randomUUID(), { setId: id.set, from, to, length: { typed: `${m} m`, unit: 'm', valueM: m, toleranceM: 0.003 }, instrument: 'tape', measuredAt: now }).expect(201);
  await tie('A', 'B', 3);
  await tie('B', '+D', 4);
  await tie('A', '+D', 5);
  const { files } = await plan();
  const read = async (path: string) => String(await files.find((f) => f.path === path)!.make());
  const [mount] = Papa.parse<Record<string, string>>(await read('kit.csv'), { header: true, skipEmptyLines: true }).data;
  expect(mount).toMatchObject({ camera: 'A', body: 'Tarvik', mode: '1K', width_px: '960', lens: 'Orrinel 32', adapter_factor: '1', takes: expect.stringContaining('7/A take 1') });
  expect(readTiesCsv(await read('sets/Galley/ties.csv'), 'ties.csv')).toContainEqual(expect.objectContaining({ from: 'B', to: '+D', valueM: 4 }));
  const net = JSON.parse(await read('sets/Galley/net.json'));
  expect(net.measured).toContainEqual(expect.objectContaining({ from: 'A', to: 'B', by: 'wrangler' }));
  const points = Papa.parse<Record<string, string>>(await read('sets/Galley/points.csv'), { header: true, skipEmptyLines: true }).data;
  const at = (name: string) => ['x', 'y', 'z'].map((k) => Number(points.find((p) => p.id === name)![k]));
  // a right angle at B
  expect(Math.hypot(...at('A').map((v, i) => v - at('+D')[i]))).toBeCloseTo(5, 2);
  expect(await read('sets/Galley/points.dxf')).toContain('+D');
});

test('takes leave as an edit list, a log and framing decisions: what has no timecode is named and not made up', async () => {
  await take({ slate: '70', take: 1, tracks: null, clip: 'A001C003', timecodeIn: '10:00:00:00', timecodeOut: '10:00:04:12' });
  await take({ slate: '70', take: 2, tracks: null, clip: 'A001C004', timecodeIn: '10:01:00:00', timecodeOut: '09:00:00:00' });
  const { files } = await plan();
  const read = async (path: string) => String(await files.find((f) => f.path === path)!.make());
  const otio = JSON.parse(await read('takes.otio'));
  expect([otio.OTIO_SCHEMA, otio.tracks.OTIO_SCHEMA, otio.tracks.children[0].OTIO_SCHEMA, otio.tracks.children[0].kind]).toEqual(['Timeline.1', 'Stack.1', 'Track.1', 'Video']);
  const clips = otio.tracks.children[0].children;
  const one = clips.find((c: { name: string }) => c.name === '70 take 1');
  // ten hours, and four seconds and a half, at 24
  expect(one).toMatchObject({
    OTIO_SCHEMA: 'Clip.1',
    source_range: { start_time: { rate: 24, value: 864_000 }, duration: { rate: 24, value: 108 } },
    media_reference: { OTIO_SCHEMA: 'MissingReference.1', name: 'A001C003' },
    metadata: { mesure: { scene: '41', circled: false } },
  });
  expect(clips.some((c: { name: string }) => c.name === '70 take 2')).toBe(false);
  expect(otio.metadata.mesure.withoutTimecode.map((c: { name: string }) => c.name)).toContain('70 take 2');
  const log = (await read('takes-log.txt')).split('\n');
  const columns = log[log.indexOf('Column') + 1].split('\t');
  const row = log.find((l) => l.startsWith('A001C003'))!.split('\t');
  expect(Object.fromEntries(columns.map((c, i) => [c, row[i]]))).toMatchObject({ Scene: '41', Take: '70-1', Start: '10:00:00:00', End: '10:00:04:12', Lens: 'Orrinel 32' });
  const canvas = readFdl(await read('takes.fdl'), 'takes.fdl').find((c) => c.label === '70 take 1')!;
  expect(canvas).toMatchObject({ widthPx: 960, heightPx: 480, sensorWidthMm: 12, squeeze: 1 });
  // the same bytes each time: a supplement does not carry it again
  expect(await read('takes.fdl')).toBe(await read('takes.fdl'));
});

test('the report: the day, each setup and each take in words, on a page and in print; whatever is typed stays text', async () => {
  const t = await take({ slate: '90', take: 1, notes: '<script>alert("x")</script> Zażółć' }, outcome('agrees'));
  const { files } = await plan();
  expect(files.slice(0, 2).map((f) => f.path)).toEqual(['report.html', 'report.pdf']);
  const html = String(await files[0].make());
  expect(html).not.toContain('<script>');
  expect(html).toContain('&#60;script&#62;alert(&#34;x&#34;)&#60;/script&#62; Zażółć');
  expect(html).toMatch(/<h3>● 90 take 1: agrees<\/h3>/);
  expect(html).toContain('height 4&#39; 7 1/4&#34; (1.403 m at the entrance pupil)');
  expect(html).toContain('href="takes/90-take-1/"');
  // nothing is fetched
  expect(html).not.toMatch(/(src|href)="https?:/);
  expect(html).toMatch(/<b>\d+<\/b>takes/);
  const pdf = Buffer.from((await files[1].make()) as Uint8Array);
  expect(pdf.subarray(0, 5).toString()).toBe('%PDF-');
  const words = wordsOf(pdf).join('\n');
  expect(words).toContain('90 take 1: agrees');
  expect(words).toContain('Zażółć');
  expect(await lacks(t)).toEqual([]);
});

test('what was deleted does not leave; a foreign day is not there', async () => {
  const takeId = await take({ slate: '99X', take: 1 }, outcome('agrees'));
  expect((await plan()).files.some((f) => f.path.startsWith('takes/99X'))).toBe(true);
  await server.put(wrangler, 'take', takeId, takeBody({ slate: '99X', take: 1 }), { baseVersion: 1, deleted: true }).expect(200);
  expect((await plan()).files.some((f) => f.path.startsWith('takes/99X'))).toBe(false);
  await expect(planHandover(server.db, server.ids.p2, id.day)).rejects.toMatchObject({ code: 'NOT_FOUND' });
});

test('a take in a setup that somebody hid meanwhile does not vanish without a word', async () => {
  const { setupId } = takeBody({ slate: '97', take: 1 });
  const takeId = await take({ slate: '97', take: 1 }, outcome('agrees'));
  const setup = (await server.db.Entry.findOne({ where: { productionId: server.ids.p1, id: setupId } }))!;
  const hide = (deleted: boolean, baseVersion: number) => server.put(wrangler, 'setup', setupId, setup.body, { baseVersion, deleted }).expect(200);
  expect((await plan()).missing.filter((m) => m.code.startsWith('hidden'))).toEqual([]);
  await hide(true, setup.version);
  const { missing, files } = await plan();
  expect(files.some((f) => f.path.startsWith('takes/97'))).toBe(false);
  expect(missing).toContainEqual(
    expect.objectContaining({ code: `hidden ${takeId}`, takeId, take: '97 take 1', until: 'set', what: expect.stringContaining('is hidden, so this take does not leave') }),
  );
  await hide(false, setup.version + 1);
  expect((await plan()).missing.filter((m) => m.code.startsWith('hidden'))).toEqual([]);
});

test('what cannot be had is answered: the reason stands beside it, leaves with the day and is not counted as missing', async () => {
  const takeId = await take({ slate: '95', take: 1, height: null, tracks: null });
  const open = (await plan()).missing.filter((m) => m.takeId === takeId);
  // until when it can still be had: readings as long as the set stands, the rest at a desk
  expect(open).toMatchObject([
    { code: 'height', until: 'set', answer: null },
    { code: 'tracks', until: 'desk', answer: null },
  ]);
  const reason = { dayId: id.day, takeId, code: 'height', what: 'camera height', reason: 'the crane was derigged', by: 'wrangler', at: now };
  await server.put(wrangler, 'absence', randomUUID(), reason).expect(201);
  const { missing, files } = await plan();
  expect(missing.find((m) => m.takeId === takeId && m.code === 'height')!.answer).toMatchObject({ reason: 'the crane was derigged', by: 'wrangler' });
  const csv = String(await files.find((f) => f.path === 'missing.csv')!.make());
  expect(csv).toContain('95 take 1,camera height,the crane was derigged,wrangler,');
  expect(csv).toContain('95 take 1,tracks for a test solve,,,');
  expect(String(await files.find((f) => f.path === 'report.html')!.make())).toContain('camera height (cannot be had: the crane was derigged, wrangler)');
});

test('handed over is a state: to whom, by whom, when, and the list of what left, which proves every file', async () => {
  const first = randomUUID();
  const zip = await handedOver('Lisk & Daughters', null, first);
  const list = (await zip.file('MANIFEST.sha256')!.async('string')).trim().split('\n');
  expect(list.length).toBe(Object.keys(zip.files).length - 1);
  for (const line of list) {
    const [, sha256, name] = /^([0-9a-f]{64}) {2}(.+)$/.exec(line)!;
    expect([
      name,
      createHash('sha256')
        .update(await zip.file(name)!.async('nodebuffer'))
        .digest('hex'),
    ]).toEqual([name, sha256]);
  }
  const open = (await plan()).missing.filter((m) => !m.answer).length;
  expect((await plan()).handedOver[0]).toMatchObject({ id: first, to: 'Lisk & Daughters', by: 'wrangler', supplementTo: null, files: list.length + 1, missing: open });
  expect((await plan()).changedSince).toEqual([]);
  // nobody says it of himself, but who may direct can hide it
  const stored = (await wrangler.agent.get(server.at('/records'))).body.records.find((r: { id: string }) => r.id === first);
  expect((await server.put(wrangler, 'handover', first, { ...stored.body, to: 'Nobody' }, { baseVersion: stored.version })).body.code).toBe('FORBIDDEN');
  expect((await server.put(wrangler, 'handover', randomUUID(), stored.body)).body.code).toBe('FORBIDDEN');
});

test('what changed since leaves as a supplement: that and no more, with what it adds to', async () => {
  const first = randomUUID();
  await handedOver('Post', null, first);
  const nothing = await handedOver('Post', first);
  expect(Object.keys(nothing.files).sort()).toEqual(['CONTENTS.txt', 'MANIFEST.sha256', 'report.html', 'report.pdf']);
  const takeId = await take({ slate: '96', take: 1 }, outcome('agrees'));
  expect((await plan()).changedSince).toContainEqual({ what: 'take 96 take 1: new', who: 'wrangler', when: expect.any(String) });
  const supplement = await handedOver('Post', first);
  const names = Object.keys(supplement.files);
  expect(names).toEqual(expect.arrayContaining(['takes.csv', 'readings.csv', 'takes/96-take-1/camera.glb']));
  expect(names.some((n) => n.startsWith('takes/') && !n.startsWith('takes/96-'))).toBe(false);
  expect(names).not.toContain('lenses/distortion.csv');
  // what goes again is named
  const second = (await plan()).handedOver[0];
  await server.put(wrangler, 'take', takeId, takeBody({ slate: '96', take: 1 }), { baseVersion: 1, deleted: true }).expect(200);
  const contents = await (await handedOver('Post', second.id)).file('CONTENTS.txt')!.async('string');
  expect(contents).toMatch(/A supplement to what was handed over to Post by wrangler/);
  expect(contents).toMatch(/No longer part of the day:\n(?: {2}.*\n)* {2}takes\/96-take-1\/camera\.glb/);
  const foreign = await wrangler.agent
    .post(server.at(`/days/${id.day}/handovers`))
    .set('x-csrf-token', wrangler.csrf)
    .send({ id: randomUUID(), to: 'Post', supplementTo: randomUUID() });
  expect(foreign.body).toMatchObject({ code: 'NOT_FOUND' });
});

test('a planned setup leaves its mark sheet, and its cautions with what was said to them', async () => {
  const station = { timeS: 0, xM: 0, zM: 0, heightM: 1.4, headingRad: 0, tiltRad: 0, rollRad: 0, focalMm: 32, focusM: 3 };
  const sheet = [{ id: 'K1', kind: 'cross', diameterM: 0.02, at: [0.5, 1.2, -3], normal: null, pieceId: null, ground: 'plain', placed: true }];
  await server.put(wrangler, 'set', id.set, { name: 'Galley', marks: ['K1'], pieces: [], sheet }, { baseVersion: 1 }).expect(200);
  const planBody = {
    setupId: id.setup,
    packageId: id.pack,
    move: { kind: 'dolly', stations: [station, { ...station, timeS: 4, xM: 1 }] },
    shutterDeg: 180,
    stop: 4,
    iso: 800,
    lensMode: 'held',
    lensSigmaPct: 1,
    measures: { level: [], levelSigmaM: 0.005, ties: [], heights: [] },
    stabiliser: 'unknown',
    sync: 'none',
    zoomNoted: false,
    exterior: false,
    stillsPlanned: false,
    lightPlanned: false,
    answered: [{ rule: 'stabiliser', reason: 'none in this lens', by: 'wrangler', at: now }],
  };
  await server.put(wrangler, 'plan', randomUUID(), planBody).expect(201);
  const { files } = await plan();
  expect(String(await files.find((f) => f.path === 'setups/41-Dolly/marks.csv')!.make())).toBe('id,x,y,z,kind,diameter_m,ground,placed\nK1,0.5,1.2,-3,cross,0.02,plain,yes\n');
  const left = JSON.parse(String(await files.find((f) => f.path === 'setups/41-Dolly/plan.json')!.make())) as { cautions: { rule: string; value: number; answer: { reason: string } | null }[] };
  expect(left.cautions.find((c) => c.rule === 'stabiliser')!.answer!.reason).toBe('none in this lens');
  expect(left.cautions.find((c) => c.rule === 'too few to track')).toMatchObject({ value: 1, answer: null });
});

test('a plan that cannot be followed, or speaks of another production, is refused at its field', async () => {
  const station = { timeS: 0, xM: 0, zM: 0, heightM: 1.4, headingRad: 0, tiltRad: 0, rollRad: 0, focalMm: 32, focusM: 3 };
  const refused = await server.put(wrangler, 'plan', randomUUID(), { setupId: id.setup, packageId: id.pack, move: { kind: 'dolly', stations: [station, station] } });
  expect(refused.status).toBe(422);
  expect(JSON.stringify(refused.body)).toMatch(/station 2 must come after the one before it/);
});

test('a picture of another production does not leave for its hash being named, nor does a computation open it; one that is lost is listed', async () => {
  const stranger = await server.signIn('stranger');
  const bytes = await sharp({ create: { width: 960, height: 480, channels: 3, background: '#123456' } })
    .png()
    .toBuffer();
  const metadata = Object.entries({ name: 'secret.png', use: 'plate' })
    .map(([key, value]) => `${key} ${Buffer.from(value).toString('base64')}`)
    .join(',');
  const theirs = await stranger.agent
    .post(`/api/productions/${server.ids.p2}/files/uploads`)
    .set({ 'x-csrf-token': stranger.csrf, 'tus-resumable': '1.0.0', 'upload-length': String(bytes.length), 'upload-metadata': metadata, 'content-type': 'application/offset+octet-stream' })
    .send(bytes);
  const sha256 = theirs.body.sha256 as string;
  expect(sha256).toMatch(/^[0-9a-f]{64}$/);
  const lost = (await server.give(wrangler, Buffer.from(await sharp(bytes).negate().png().toBuffer()), 'lost.png', 'plate').expect(201)).body.sha256 as string;
  rmSync(path.join(server.dir, 'files', lost.slice(0, 2), lost), { force: true });
  // records that were written before this was looked at: nothing new may name it
  const mine = { productionId: server.ids.p1, sha256 };
  await server.ownAll({ sha256, name: 'secret.png' });
  await take({
    slate: '88',
    take: 1,
    tracks: null,
    pictures: [
      { sha256, name: 'secret.png' },
      { sha256: lost, name: 'lost.png' },
    ],
  });
  const plate = randomUUID();
  await server
    .put(wrangler, 'plate', plate, {
      lensId: id.lens,
      packageId: id.pack,
      picture: { sha256, name: 'secret.png' },
      focalMm: 32,
      focusM: 3,
      cellM: 0.04,
      shotAt: now,
      notes: { widthPx: 960, heightPx: 480, shotWidthPx: null, shotHeightPx: null, focalMm: null, focal35Mm: null, focusM: null, body: null, lens: null, digitalZoom: null, shotAt: null },
    })
    .expect(201);
  await server.db.StoredFile.destroy({ where: mine });
  const { files, missing } = await plan();
  expect(files.some((f) => f.stored === sha256)).toBe(false);
  expect(missing).toContainEqual(expect.objectContaining({ until: 'gone', takeId: null, take: 'takes/88-take-1/pictures/secret.png', what: expect.stringContaining('the file itself') }));
  const opened = await handedOver();
  expect(Object.keys(opened.files).filter((f) => /secret|lost/.test(f))).toEqual([]);
  const contents = await opened.file('CONTENTS.txt')!.async('string');
  expect(contents).toMatch(/secret\.png: the file itself/);
  expect(contents).toMatch(/lost\.png: the file itself, which was given and is lost/);
  const asked = await wrangler.agent.post(server.at('/analyses')).set('x-csrf-token', wrangler.csrf).send({ id: randomUUID(), kind: 'grid', subjectId: plate });
  expect(asked.status).toBe(409);
  expect(asked.body).toMatchObject({ code: 'NOT_READY', detail: expect.stringContaining('secret.png is not here') });
});

test('a day that was signed says so, and what was changed after that leaves as such; remarks leave with their answers', async () => {
  const t = await take({ slate: '77', take: 3, tracks: null });
  const closed = { by: 'wrangler', at: new Date().toISOString() };
  const day = (await wrangler.agent.get(server.at('/records'))).body.records.find((r: { id: string }) => r.id === id.day);
  await server.put(wrangler, 'day', id.day, { ...day.body, closed }, { baseVersion: day.version }).expect(200);
  expect(await plan()).toMatchObject({ closed, changedAfterClose: [] });
  const stored = (await wrangler.agent.get(server.at('/records'))).body.records.find((r: { id: string }) => r.id === t);
  await server.put(wrangler, 'take', t, { ...stored.body, notes: 'Later.' }, { baseVersion: stored.version }).expect(200);
  const remark = { about: 'take', aboutId: t, field: null, text: 'Was it the "short" dolly?', by: 'solver', at: now, answer: null };
  const remarkId = randomUUID();
  await server.put(await server.signIn('solver'), 'remark', remarkId, remark).expect(201);
  await server.put(wrangler, 'remark', remarkId, { ...remark, answer: { text: 'Yes.', by: 'wrangler', at: now } }, { baseVersion: 1 }).expect(200);
  const { changedAfterClose, files } = await plan();
  expect(changedAfterClose).toEqual([{ what: 'take 77 take 3: notes', who: 'wrangler', when: expect.any(String) }]);
  expect(String(await files.find((f) => f.path === 'remarks.csv')!.make())).toContain('take,77-3,,"Was it the ""short"" dolly?",solver');
  await server.put(wrangler, 'day', id.day, { ...day.body, closed: null }, { baseVersion: day.version + 1 }).expect(200);
});

test('the lens of each take leaves with its formula, and as maps where they are wanted: both say the same, by the files alone', async () => {
  const bent = (k1: number) => {
    const o = outcome('agrees', { distortion: { mode: 'held', model: 'radial', k: [k1, 0.03, 0], p: [0, 0], normalisedWithMm: 32, follows: false } });
    o.setup.distortion = { mode: 'held', model: 'radial', k: [k1, 0.03, 0], p: [0.001, 0] };
    return o;
  };
  await take({ slate: '21', take: 1, focusM: 2 }, bent(-0.2));
  await take({ slate: '21', take: 2, focusM: 2 }, bent(-0.2));
  await take({ slate: '21', take: 3, focusM: 2 }, bent(-0.15));
  await take({ slate: '21', take: 4, focusM: 2 });
  // one that bends its corners out of any picture has its formula, and no map
  await take({ slate: '21', take: 5, focusM: 2 }, bent(-9));
  // two takes that bend alike share their maps; of one whose lens nobody measured there is none
  const { maps, files } = await plan();
  expect(maps.count).toBe(4);
  expect(files.some((f) => f.path.startsWith('maps/'))).toBe(false);
  const zip = await handedOver('Post', null, randomUUID(), { maps: 'tiff' });
  const text = (name: string) => zip.file(name)!.async('string');
  const lenses = JSON.parse(await text('lenses/takes.json')) as { take: string; from: string; maps: { undistort: string; redistort: string }; distortion: { formula: string[]; coefficients: Record<string, number>; normalisedByPx: [number, number]; centerPx: [number, number] }; undistorted: { widthPx: number; heightPx: number; recordedCornerPx: [number, number] } }[]; // prettier-ignore
  const of = (label: string) => lenses.find((l) => l.take === label)!;
  expect(lenses.filter((l) => l.take.startsWith('21')).map((l) => [l.take, l.from, l.maps?.undistort])).toEqual([
    ['21 take 1', 'as used by the test solve', 'maps/Orrinel-32-32mm-2m_undistort.tif'],
    ['21 take 2', 'as used by the test solve', 'maps/Orrinel-32-32mm-2m_undistort.tif'],
    ['21 take 3', 'as used by the test solve', 'maps/Orrinel-32-32mm-2m-2_undistort.tif'],
    ['21 take 5', 'as used by the test solve', undefined],
  ]);
  expect(of('21 take 5')).toMatchObject({ maps: null, noMaps: expect.stringMatching(/no map reaches all/) });
  expect((await text('maps/maps.csv')).split('\n').filter((l) => l.startsWith('21 take'))).toHaveLength(3);
  const read = async (name: string) => {
    const bytes = await zip.file(name)!.async('arraybuffer');
    const image = await (await fromArrayBuffer(bytes)).getImage();
    return { w: image.getWidth(), h: image.getHeight(), data: (await image.readRasters({ interleave: true })) as unknown as Float32Array };
  };
  for (const label of ['21 take 1', '21 take 3']) {
    const { distortion: d, undistorted: u, maps: at } = of(label);
    const bend = new Function('x', 'y', ...Object.keys(d.coefficients), `${d.formula.map((l) => `const ${l.replace(/\^/g, '**')};`).join('\n')}\nreturn [xd, yd];`) as (...n: number[]) => [number, number]; // prettier-ignore
    const recordedPx = (x: number, y: number) => {
      const [xd, yd] = bend((x - d.centerPx[0]) / d.normalisedByPx[0], (y - d.centerPx[1]) / d.normalisedByPx[1], ...Object.values(d.coefficients));
      return [d.centerPx[0] + xd * d.normalisedByPx[0], d.centerPx[1] + yd * d.normalisedByPx[1]];
    };
    const there = await read(at.undistort);
    expect([there.w, there.h]).toEqual([u.widthPx, u.heightPx]);
    const back = await read(at.redistort);
    let worst = 0;
    for (const [x, y] of [
      [0, 0],
      [12, 40],
      [50, 25],
      [99, 49],
    ]) {
      // prettier-ignore
      // of a pixel of the undistorted picture, counted in the recorded one's raster
      const k = 2 * (y * there.w + x);
      const [rx, ry] = recordedPx(x + 0.5 - u.recordedCornerPx[0], y + 0.5 - u.recordedCornerPx[1]);
      worst = Math.max(worst, Math.abs(there.data[k] * 100 - rx), Math.abs((1 - there.data[k + 1]) * 50 - ry));
      // of a pixel of the recorded one: the place that the other map names is bent back onto it
      const q = 2 * (Math.min(y, back.h - 1) * back.w + Math.min(x, back.w - 1));
      const [bx, by] = recordedPx(back.data[q] * u.widthPx - u.recordedCornerPx[0], (1 - back.data[q + 1]) * u.heightPx - u.recordedCornerPx[1]);
      worst = Math.max(worst, Math.abs(bx - x - 0.5), Math.abs(by - y - 0.5));
    }
    expect(worst).toBeLessThan(0.001);
  }
  // what left with maps knows them when it is checked file by file
  const manifest = await text('MANIFEST.sha256');
  for (const name of ['maps/Orrinel-32-32mm-2m_undistort.tif', 'lenses/takes.json'])
    expect(manifest).toContain(`${createHash('sha256').update(await zip.file(name)!.async('nodebuffer')).digest('hex')}  ${name}`); // prettier-ignore
  await wrangler.agent.post(server.at(`/days/${id.day}/handovers`)).set('x-csrf-token', wrangler.csrf).send({ id: randomUUID(), to: 'Post', supplementTo: null, maps: 'png' }).expect(422); // prettier-ignore
});

test('a plate that was measured before its record was changed is told, in the table of plates and as missing, until it is measured again', async () => {
  const plateId = randomUUID();
  const picture = await server.own('grid.png');
  const body = {
    lensId: id.lens,
    packageId: id.pack,
    picture,
    focalMm: 32,
    focusM: 3,
    cellM: 0.04,
    shotAt: now,
    notes: { widthPx: 960, heightPx: 480, shotWidthPx: null, shotHeightPx: null, focalMm: null, focal35Mm: null, focusM: null, body: null, lens: null, digitalZoom: null, shotAt: null },
  };
  await server.put(wrangler, 'plate', plateId, body).expect(201);
  await take({ slate: '96', take: 1 });
  const measure = async () =>
    server.db.AnalysisRow.create({
      id: randomUUID(),
      productionId: server.ids.p1,
      kind: 'grid',
      subjectId: plateId,
      status: 'done',
      input: JSON.parse(JSON.stringify(await buildInput(server.db, server.ids.p1, 'grid', plateId, {}))) as never,
      outcome: { kind: 'grid', report: { status: 'unusable', reason: 'no chart', plates: [], warnings: [], distortion: null, rmsPx: null }, corners: [], widthPx: 960, heightPx: 480 } as never,
      error: null,
      finishedAt: new Date(),
    });
  const told = async () => {
    const { files, missing } = await plan();
    const table = String(await files.find((f) => f.path === 'lenses/plates.csv')!.make!());
    const [header, ...rows] = table.trim().split('\n');
    return { header, row: rows.find((r) => r.includes('grid.png'))!, missing: missing.filter((m) => m.code === `stale plate ${plateId}`) };
  };
  await measure();
  const fresh = await told();
  expect(fresh.header.endsWith(',before')).toBe(true);
  expect(fresh.row.endsWith(',')).toBe(true);
  expect(fresh.missing).toEqual([]);
  // a note of nothing makes it no older; its focal length does
  await server.put(wrangler, 'plate', plateId, { ...body, focalMm: 31.5 }, { baseVersion: 1 }).expect(200);
  const old = await told();
  expect(old.row).toMatch(/this one is from before the change of grid plate/);
  expect(old.missing).toMatchObject([{ until: 'desk', what: expect.stringMatching(/^a measure of the plate grid\.png as it is recorded: this one is from before the change/) }]);
  await new Promise((later) => setTimeout(later, 5));
  await measure();
  expect((await told()).missing).toEqual([]);
});

test('of a zoom the lens leaves at both ends, each by the plates of its own', async () => {
  const [lens, pack] = [randomUUID(), randomUUID()];
  await server.put(wrangler, 'lens', lens, { name: 'Varn 24-48', kind: 'zoom', minFocalMm: 24, maxFocalMm: 48, squeeze: 1, serial: '' }).expect(201);
  await server.put(wrangler, 'package', pack, { camera: 'B', bodyId: id.body, modeId: id.mode, lensId: lens, adapterId: null, focalMm: 24 }).expect(201);
  const sha256 = 'd'.repeat(64);
  await server.ownAll({ sha256, name: 'grid.png' });
  for (const [focalMm, k1] of [
    [24, -0.1],
    [48, 0.04],
  ]) {
    const plate = randomUUID();
    await server.put(wrangler, 'plate', plate, { lensId: lens, packageId: pack, picture: { sha256, name: 'grid.png' }, focalMm, focusM: null, cellM: 0.04, shotAt: now, notes: null }).expect(201);
    const distortion = { model: 'radial', k: [k1, 0, 0], p: [0, 0], center: [480, 240], aspect: 1, focalMm, sigma: {}, terms: ['k1'] };
    const report = { status: 'usable', reason: null, plates: [], distortion, rmsPx: 0.1, warnings: [], fitted: [], candidates: [], overscan: null, cornerDisplacementPct: 1 };
    await server.db.AnalysisRow.create({ id: randomUUID(), productionId: server.ids.p1, kind: 'grid', subjectId: plate, status: 'done', input: { kind: 'grid' } as never, outcome: { kind: 'grid', report, corners: [], widthPx: 960, heightPx: 480 } as never, error: null, finishedAt: new Date() }); // prettier-ignore
  }
  await take({ slate: '91', take: 1, packageId: pack, focalMm: 24, focalEndMm: 48, focusM: 3, focusEndM: 2, tracks: null });
  const { files } = await plan();
  const lenses = (JSON.parse(String(await files.find((f) => f.path === 'lenses/takes.json')!.make())) as { take: string; at: string; focalMm: number; focusM: number; from: string; distortion: { coefficients: { k1: number } } }[]).filter((l) => l.take === '91 take 1'); // prettier-ignore
  expect(lenses.map((l) => [l.at, l.focalMm, l.focusM, l.from, l.distortion.coefficients.k1])).toEqual([
    ['start of the zoom', 24, 3, 'plates of the lens', -0.1],
    ['far end of the zoom', 48, 2, 'plates of the lens', 0.04],
  ]);
  const mapped = await handedOver('Post', null, randomUUID(), { maps: 'tiff' });
  const rows = (await mapped.file('maps/maps.csv')!.async('string')).split('\n').filter((l) => l.startsWith('91 take 1'));
  expect(rows.map((r) => /maps\/[^,]*_undistort/.exec(r)?.[0])).toEqual(['maps/Varn-24-48-24mm-3m_undistort', 'maps/Varn-24-48-48mm-2m_undistort']);
});
