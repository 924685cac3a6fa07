import { filesNamed, type Analysis, type HandoverInAnswer, type RecordKind, type StoredRecord } from '@mesure/contract';
import JSZip from 'jszip';
import { createHash, randomUUID } from 'node:crypto';
import sharp from 'sharp';
import type { SolveInput } from '../jobs/compute-types';
import { buildInput } from '../jobs/inputs';
import { startTestServer, type Person, type TestServer } from '../test-server';

/** One film here and another one there, which are two machines as far as records can tell. */
const now = new Date().toISOString();
let server: TestServer, wrangler: Person, solver: Person, stranger: Person;
const id: Record<string, string> = Object.fromEntries(
  ['body', 'mode', 'lens', 'pack', 'set', 'day', 'setup', 'take', 'tie', 'plate', 'still', 'remark', 'rig', 'otherDay', 'otherSetup'].map((k) => [k, randomUUID()]),
);
const mode = { id: id.mode, name: '1K', widthPx: 960, heightPx: 480, sensorWidthMm: 12, sensorHeightMm: 6, fps: 24 };
const png = (grey: number) => sharp({ create: { width: 64, height: 48, channels: 3, background: { r: grey, g: grey, b: grey } } }).png().toBuffer(); // prettier-ignore
const there = (where: string) => `/api/productions/${server.ids.p2}${where}`;

async function giveHere(bytes: Buffer, name: string, use: string) {
  return { sha256: (await server.give(wrangler, bytes, name, use).expect(201)).body.sha256 as string, name };
}
async function giveThere(bytes: Buffer, name: string, use = 'handover') {
  const metadata = Object.entries({ name, use }).map(([k, v]) => `${k} ${Buffer.from(v).toString('base64')}`).join(','); // prettier-ignore
  return stranger.agent
    .post(there('/files/uploads'))
    .set({ 'x-csrf-token': stranger.csrf, 'tus-resumable': '1.0.0', 'upload-length': String(bytes.length), 'upload-metadata': metadata, 'content-type': 'application/offset+octet-stream' })
    .send(bytes);
}
const putThere = (kind: string, at: string, body: object, more: object = {}) =>
  stranger.agent.put(there(`/records/${kind}/${at}`)).set('x-csrf-token', stranger.csrf).send({ mutationId: randomUUID(), baseVersion: 0, deleted: false, body, ...more }); // prettier-ignore
const leave = (): Promise<Buffer> => server.handOver(wrangler, id.day);
const ask = (verb: 'look' | 'bring', sha256: string, replace = false) => stranger.agent.post(there(`/handover-in/${verb}`)).set('x-csrf-token', stranger.csrf).send({ sha256, replace }); // prettier-ignore
const countOf = (a: HandoverInAnswer) => Object.fromEntries(['new', 'same', 'different', 'hidden', 'cannot'].map((w) => [w, a.lines.filter((l) => l.what === w).length]));
const recordsThere = async () => new Map(((await stranger.agent.get(there('/records')).expect(200)).body.records as StoredRecord[]).map((r) => [r.id, r]));
/** The zip with one file of it changed, its list set right. */
async function altered(zip: Buffer, name: string, change: (text: string) => string | null): Promise<Buffer> {
  const open = await JSZip.loadAsync(zip);
  const text = change(await open.file(name)!.async('string'));
  let list = await open.file('MANIFEST.sha256')!.async('string');
  if (text === null) open.remove(name);
  else {
    open.file(name, text);
    list = list.replace(new RegExp(`^[0-9a-f]{64}(?=  ${name.replace(/[.]/g, '\\.')}$)`, 'm'), createHash('sha256').update(text).digest('hex'));
  }
  open.file('MANIFEST.sha256', list);
  return open.generateAsync({ type: 'nodebuffer' });
}

beforeAll(async () => {
  server = await startTestServer({ worker: false });
  [wrangler, solver, stranger] = await Promise.all([server.signIn('wrangler'), server.signIn('solver'), server.signIn('stranger')]);
  const put = (kind: RecordKind, of: string, body: object) => server.put(wrangler, kind, id[of], body).expect(201);
  await put('body', 'body', { name: 'Tarvik', modes: [mode] });
  await put('lens', 'lens', { name: 'Orrinel 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: 'OR-3207' });
  await put('package', 'pack', { camera: 'A', bodyId: id.body, modeId: id.mode, lensId: id.lens, adapterId: null, focalMm: 32 });
  await put('set', 'set', { name: 'Galley', marks: [] });
  await put('day', 'day', { name: 'Day 1', date: '2026-01-01' });
  await put('setup', 'setup', { dayId: id.day, setId: id.set, name: 'Dolly', scene: '41', order: 1, levelMarks: [], originMark: null, headingMarks: null });
  // of another day, on the same set: not handed over
  await put('day', 'otherDay', { name: 'Day 2', date: '2026-01-02' });
  await put('setup', 'otherSetup', { dayId: id.otherDay, setId: id.set, name: 'Crane', scene: '42', order: 1, levelMarks: [], originMark: null, headingMarks: null });
  await put('tie', 'tie', { setId: id.set, from: 'A', to: 'B', length: { typed: '3 m', unit: 'm', valueM: 3, toleranceM: 0.003 }, instrument: 'tape', measuredAt: now });
  const tracks = await giveHere(Buffer.from('frame,track,x,y\n1,K1,10,20\n2,K1,11,20\n'), 't.csv', 'tracks');
  const picture = await giveHere(await png(90), 'slate.png', 'plate');
  await put('take', 'take', {
    setupId: id.setup,
    slate: '41A',
    take: 1,
    packageId: id.pack,
    focalMm: 32,
    focusM: 3,
    height: null,
    heightFrame: 1,
    circled: true,
    notes: '',
    tracks,
    pictures: [picture],
    loggedAt: now,
    carried: [],
  });
  const plate = await giveHere(await png(120), 'grid.png', 'plate');
  await put('plate', 'plate', { lensId: id.lens, packageId: id.pack, picture: plate, focalMm: 32, focusM: 3, cellM: 0.04, shotAt: now, notes: null });
  await put('still', 'still', {
    setupId: id.setup,
    station: 0,
    picture: await giveHere(await png(30), 'wall.png', 'plate'),
    widthPx: 64,
    heightPx: 48,
    notes: null,
    look: null,
    shotAt: now,
    givenAt: now,
  });
  await put('rig', 'rig', {
    setupId: id.setup,
    packageId: id.pack,
    since: now,
    placement: { way: 'rigid', rightM: 0.1, upM: 0, forwardM: 0, turnRad: 0, tiltRad: 0 },
    toleranceM: 0.005,
    why: 'first',
  });
  await server.put(solver, 'remark', id.remark, { about: 'take', aboutId: id.take, field: null, text: 'Short dolly?', by: 'solver', at: now, answer: null }).expect(201);
  await server.db.AnalysisRow.create({ id: randomUUID(), productionId: server.ids.p1, kind: 'grid', subjectId: id.plate, status: 'done', input: { kind: 'grid' } as never, error: null, finishedAt: new Date(),
    outcome: { kind: 'grid', report: { status: 'unusable', reason: 'no chart', plates: [], warnings: [], distortion: null, rmsPx: null }, corners: [], widthPx: 64, heightPx: 48 } as never }); // prettier-ignore
});
afterAll(() => server?.stop());

/** Of a take that was solved yesterday, from its record as it is. */
const SOLVE = {
  ...{ status: 'solved', width: 960, height: 480, focalMm: 31.8, sigmaFocalMm: 0.05, focalMode: 'free', rmsPx: 0.3, trimmed: [] },
  distortion: { model: 'radial', k: [0, 0, 0], p: [0, 0], mode: 'none', normalisedWithMm: 32, follows: false },
  frames: [1, 2].map((frame) => ({ frame, position: [0.1 * frame, 1.4, 0], rotation: [0, 0, 0, 1], focalMm: 31.8, rmsPx: 0.3, tracks: 9, sigmaPositionM: 0.002 })),
  points: [{ track: 'K1', position: [0, 0, -3], sigmaM: 0.001, rmsPx: 0.2, observations: 2 }],
  anchoring: { scale: 1, sigmaScalePct: 0.1, datum: [], residuals: [] },
  warnings: [{ code: 'FEW_TRACKS', words: 'Few tracks.' }],
};
const solvedAt = new Date(Date.now() - 1000);
const RECONCILE = { verdict: 'agrees', sentence: 'All agrees.', warnings: [{ code: 'ONE', words: 'One fact.' }], items: [{ quantity: 'focalLength', about: 'focal length', unit: 'mm', recorded: 32, recordedSigma: 0.3, solved: 31.8, sigma: 0.05, difference: -0.2, verdict: 'agrees', sentence: 'It agrees.', causes: [] }] }; // prettier-ignore
const solvesThere = async () => ((await stranger.agent.get(there('/analyses')).expect(200)).body.analyses as Analysis[]).filter((a) => a.kind === 'solve');

let zip: Buffer, sent: string;
test('a day goes from one production into another: seen first, with who said it and when, then whole', async () => {
  const input = await buildInput(server.db, server.ids.p1, 'solve', id.take, {});
  await server.db.AnalysisRow.create({ id: randomUUID(), productionId: server.ids.p1, kind: 'solve', subjectId: id.take, status: 'done', input, error: null, createdAt: solvedAt, finishedAt: solvedAt,
    outcome: { kind: 'solve', solve: SOLVE, setup: (input as SolveInput).setup, reconcile: RECONCILE } as never }); // prettier-ignore
  zip = await leave();
  const kept = await giveThere(zip, 'day.zip');
  expect([kept.status, kept.body.detail]).toEqual([201, undefined]);
  sent = kept.body.sha256 as string;
  const before = await recordsThere();
  const seen = (await ask('look', sent).expect(200)).body as HandoverInAnswer;
  // 7 of the day and its set, 3 of the kit, the plate, the still
  expect([seen.day.name, seen.brought, countOf(seen)]).toEqual(['Day 1', null, { new: 12, same: 0, different: 0, hidden: 0, cannot: 0 }]);
  expect(seen.files).toEqual({ coming: 4, comingBytes: expect.any(Number), missing: 0 });
  expect(seen.lines.find((l) => l.kind === 'remark')).toMatchObject({ name: expect.stringContaining('Short dolly'), by: 'solver', at: expect.stringMatching(/^20/) });
  expect(seen.lines.some((l) => l.id === id.otherSetup || l.id === id.otherDay)).toBe(false);
  expect(await recordsThere()).toEqual(before);
  const told = (await ask('bring', sent).expect(201)).body as HandoverInAnswer;
  expect(told.brought).toBe(12);
  const after = await recordsThere();
  for (const k of ['body', 'lens', 'set', 'day', 'setup', 'tie', 'take', 'still', 'rig', 'plate']) {
    const ours = (await server.db.Entry.findOne({ where: { productionId: server.ids.p1, id: id[k] } }))!;
    expect([k, after.get(id[k])!.body]).toEqual([k, ours.body]);
  }
  expect(after.get(id.take)!.updatedBy).toBe('stranger for wrangler');
  // nobody has mounted it here
  expect(after.get(id.pack)!.body).toMatchObject({ until: expect.any(String), lensId: id.lens });
  expect(after.get(id.remark)!.body).toMatchObject({ by: 'stranger for solver', text: 'Short dolly?', at: now });
  // its files are this production's own, and can be looked at
  for (const f of filesNamed(after.get(id.take)!.body)) await stranger.agent.get(there(`/files/${f.sha256}`)).expect(200);
  const measured = await server.db.AnalysisRow.findOne({ where: { productionId: server.ids.p2, subjectId: id.plate } });
  expect(measured).toMatchObject({ kind: 'grid', status: 'done', outcome: { report: { reason: 'no chart' } } });
  // its solve too, as it was: it answers for the record that came in, and not for what is changed here afterwards
  expect([seen.solves, told.solves]).toEqual([1, 1]);
  const [solve] = await solvesThere();
  expect(solve).toMatchObject({ subjectId: id.take, status: 'done', stale: null, createdAt: solvedAt.toISOString() });
  const whole = (await stranger.agent.get(there(`/analyses/${solve.id}`)).expect(200)).body as Analysis;
  expect(whole.outcome).toMatchObject({ kind: 'solve', solve: SOLVE, reconcile: RECONCILE, setup: { focal: { mm: 32 } } });
  expect(Object.keys((whole.outcome as unknown as { solve: object }).solve).filter((k) => ['facts', 'take', 'before', 'filesBeside', 'warningCodes'].includes(k))).toEqual([]);
});

test('brought in again it is here; what was changed there stays, and becomes as handed over where that is asked for', async () => {
  const again = (await ask('bring', sent).expect(201)).body as HandoverInAnswer;
  expect([again.brought, countOf(again)]).toEqual([0, { new: 0, same: 12, different: 0, hidden: 0, cannot: 0 }]);
  const take = (await recordsThere()).get(id.take)!;
  expect([again.solves, (await solvesThere()).length]).toEqual([0, 1]);
  await putThere('take', id.take, { ...take.body, notes: 'Changed there.' }, { baseVersion: 1 }).expect(200);
  // a note makes nothing old, a focal length does
  expect((await solvesThere())[0].stale).toBeNull();
  await putThere('take', id.take, { ...take.body, focalMm: 35, notes: 'Changed there.' }, { baseVersion: 2 }).expect(200);
  expect((await solvesThere())[0].stale).toMatchObject({ what: 'take 41A take 1' });
  await putThere('take', id.take, { ...take.body, notes: 'Changed there.' }, { baseVersion: 3 }).expect(200);
  const tie = (await recordsThere()).get(id.tie)!;
  await putThere('tie', id.tie, tie.body, { baseVersion: 1, deleted: true }).expect(200);
  const seen = (await ask('look', sent).expect(200)).body as HandoverInAnswer;
  expect(countOf(seen)).toEqual({ new: 0, same: 10, different: 1, hidden: 1, cannot: 0 });
  expect((await ask('bring', sent).expect(201)).body).toMatchObject({ brought: 0 });
  expect((await recordsThere()).get(id.take)!.body).toMatchObject({ notes: 'Changed there.' });
  expect((await ask('bring', sent, true).expect(201)).body).toMatchObject({ brought: 1 });
  const after = await recordsThere();
  expect(after.get(id.take)).toMatchObject({ version: 5, body: { notes: '' } });
  // what was hidden there stays hidden, and nothing of the history is lost
  expect(after.get(id.tie)!.deleted).toBe(true);
  expect((await stranger.agent.get(there(`/records/take/${id.take}/history`)).expect(200)).body.changes.map((c: { who: string }) => c.who)).toEqual(
    expect.arrayContaining(['stranger', 'stranger for wrangler']),
  );
});

test('a lens that is here by its serial number is used; a picture that is not in the zip is left out and told', async () => {
  const own = randomUUID();
  const p3 = (await stranger.agent.post('/api/productions').set('x-csrf-token', stranger.csrf).send({ name: 'Third film', fps: 24, lengthUnit: 'm', timeZone: 'UTC', slating: 'scene' }).expect(201))
    .body as { production: { id: string } };
  const third = p3.production.id;
  const at = (where: string) => `/api/productions/${third}${where}`;
  await stranger.agent.put(at(`/records/lens/${own}`)).set('x-csrf-token', stranger.csrf).send({ mutationId: randomUUID(), baseVersion: 0, deleted: false, body: { name: 'My 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: 'or-3207' } }).expect(201); // prettier-ignore
  const open = await JSZip.loadAsync(zip);
  for (const name of Object.keys(open.files)) if (/slate\.png$|wall\.png$/.test(name)) open.remove(name);
  const less = await open.generateAsync({ type: 'nodebuffer' });
  const metadata = Object.entries({ name: 'less.zip', use: 'handover' }).map(([k, v]) => `${k} ${Buffer.from(v).toString('base64')}`).join(','); // prettier-ignore
  const given = await stranger.agent.post(at('/files/uploads')).set({ 'x-csrf-token': stranger.csrf, 'tus-resumable': '1.0.0', 'upload-length': String(less.length), 'upload-metadata': metadata, 'content-type': 'application/offset+octet-stream' }).send(less).expect(201); // prettier-ignore
  const told = (await stranger.agent.post(at('/handover-in/bring')).set('x-csrf-token', stranger.csrf).send({ sha256: given.body.sha256 }).expect(201)).body as HandoverInAnswer;
  expect(told.files.missing).toBe(2);
  // the lens is his own, the still is nothing without its picture
  expect(countOf(told)).toEqual({ new: 10, same: 1, different: 0, hidden: 0, cannot: 1 });
  expect(told.lines.filter((l) => l.what === 'cannot')).toMatchObject([{ kind: 'still', note: expect.stringMatching(/picture is not in the handover/) }]);
  expect(told.lines.find((l) => l.kind === 'take')).toMatchObject({ what: 'new', note: expect.stringMatching(/without a file/) });
  const records = new Map(((await stranger.agent.get(at('/records')).expect(200)).body.records as StoredRecord[]).map((r) => [r.id, r]));
  expect(records.get(id.lens)).toBeUndefined();
  expect(records.get(id.pack)!.body).toMatchObject({ lensId: own });
  expect(records.get(id.take)!.body).toMatchObject({ pictures: [] });
});

test.each([
  ['of an earlier version', 'record.json', () => null, /no record\.json/],
  ['of another format', 'record.json', (t: string) => t.replace('mesure record 1', 'mesure record 9'), /mesure record 9, and mesure record 1 is read/],
  ['broken', 'record.json', (t: string) => t.slice(0, -30), /record\.json Unterminated/],
  ['with a reading that no set has', 'record.json', (t: string) => t.replace('"focalMm": 32', '"focalMm": -32'), /focalMm/],
  ['with two records of one id', 'record.json', (t: string) => t.replace(new RegExp(id.tie, 'g'), id.rig), /no id of its own/],
  ['with a kind that is not brought', 'record.json', (t: string) => t.replace('"kind": "rig"', '"kind": "production"'), /production is no kind/],
  ['with a file that a browser would run', 'record.json', (t: string) => t.replace('"mime": "image/png"', '"mime": "text/html"'), /no file that a record names/],
  ['with a solve that is none', 'takes/41A-take-1/solve.json', (t: string) => t.replace('"position": [', '"position": ["a",'), /solve\.json/],
  [
    'with a solve that was asked nothing',
    'record.json',
    (t: string) => t.replace(/"kind": "solve",[^]*?"setup": \{/, (m) => m.replace('"setup": {', '"setup": null, "other": {')),
    /must hold one JSON object/,
  ],
  ['with a solve of no take', 'record.json', (t: string) => t.replace('"kind": "solve"', '"kind": "grid"'), /a solve in it is of no take/],
  ['with no day', 'record.json', (t: string) => t.replace(`"id": "${id.day}",\n    "name"`, `"id": "${id.set}",\n    "name"`), /holds no day/],
])('a handover %s is refused in words, and nothing of it is kept', async (_what, name, change, why) => {
  const before = (await recordsThere()).size;
  const r = await giveThere(await altered(zip, name, change), 'odd.zip');
  expect([r.status, r.body.detail]).toEqual([422, expect.stringMatching(why)]);
  expect((await recordsThere()).size).toBe(before);
});

test('what was changed on the way is found: a record by its checksum, a picture when it comes in, whatever it claims to be', async () => {
  const open = await JSZip.loadAsync(zip);
  open.file('record.json', (await open.file('record.json')!.async('string')).replace('"circled": true', '"circled": false'));
  expect((await giveThere(await open.generateAsync({ type: 'nodebuffer' }), 'forged.zip')).body.detail).toMatch(/record\.json is not what was handed over/);
  // another picture than the one that left, in a film that has none of them
  const other = await JSZip.loadAsync(zip);
  const name = Object.keys(other.files).find((n) => n.endsWith('wall.png'))!;
  other.file(name, await png(200));
  const sha = createHash('sha256').update(await png(30)).digest('hex'); // prettier-ignore
  await server.db.StoredFile.destroy({ where: { productionId: server.ids.p2, sha256: sha } });
  const forged = (await giveThere(await other.generateAsync({ type: 'nodebuffer' }), 'other.zip')).body.sha256 as string;
  expect((await ask('bring', forged)).body).toMatchObject({ status: 422, detail: expect.stringMatching(/wall\.png is not what left/) });
  // text that says it is a picture
  const text = Buffer.from('no picture at all');
  const liar = await JSZip.loadAsync(zip);
  liar.file(name, text);
  const bytes = await altered(await liar.generateAsync({ type: 'nodebuffer' }), 'record.json', (t) => t.replaceAll(sha, createHash('sha256').update(text).digest('hex')));
  const lied = (await giveThere(bytes, 'liar.zip')).body.sha256 as string;
  expect((await ask('bring', lied)).body).toMatchObject({ status: 422, code: 'UNREADABLE_FILE' });
});

test('who only reads brings nothing in, and what was given to one film is not another’s', async () => {
  expect((await wrangler.agent.post(server.at('/handover-in/look')).set('x-csrf-token', wrangler.csrf).send({ sha256: sent })).status).toBe(404);
  expect((await solver.agent.post(server.at('/handover-in/bring')).set('x-csrf-token', solver.csrf).send({ sha256: sent })).status).toBe(403);
});
