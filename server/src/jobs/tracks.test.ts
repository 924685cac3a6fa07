import { execFileSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import JSZip from 'jszip';
import sharp from 'sharp';
import type { Analysis, FootageBody, TracksOutcome, UploadedFile } from '@mesure/contract';
import { jpegsOf } from '@mesure/formats/clip-look';
import { STOVE_CLIP, stoveCamera, stoveClip, stoveMarks } from '../../../demo/src/footage';
import { SETS } from '../../../demo/src/sets';
import { seenAt } from '@mesure/synthetic';
import { bytesOf, startTestServer, type Person, type TestServer } from '../test-server';

/** The demo's clip, through upload, worker and store, against the scene that it was rendered from. */
const CLIP = path.join(__dirname, '../../../demo/footage', STOVE_CLIP.file);
let server: TestServer, wrangler: Person, solver: Person, guest: Person;
const id = { take: randomUUID(), footage: randomUUID() };
let given: UploadedFile;
beforeAll(async () => {
  server = await startTestServer();
  [wrangler, solver, guest] = [await server.signIn('wrangler'), await server.signIn('solver'), await server.signIn('guest')];
  const day = await server.layDay(wrangler);
  await server.put(wrangler, 'take', id.take, day.take(1)).expect(201);
});
afterAll(() => server?.stop());

const body = (change: Partial<FootageBody> = {}): FootageBody => ({
  takeId: id.take,
  file: { sha256: given.sha256, name: given.name },
  widthPx: given.widthPx!,
  heightPx: given.heightPx!,
  frames: given.clip!.frames!,
  fps: given.clip!.fps,
  timecode: given.clip!.timecode,
  firstFrame: 1001,
  most: 120,
  masks: [],
  marks: stoveMarks(),
  ...change,
});
const follow = (who: Person): Promise<Analysis> => server.compute(who, 'tracks', id.footage);

test('a clip says its size, its frames, its rate and its timecode when it is given; a solver may say what belongs to it, a guest may not', async () => {
  given = (await server.give(solver, readFileSync(CLIP), STOVE_CLIP.file, 'clip').expect(201)).body as UploadedFile;
  expect(given).toMatchObject({ widthPx: 640, heightPx: 360, clip: { frames: 40, fps: 24, timecode: STOVE_CLIP.timecode } });
  await server.put(guest, 'footage', id.footage, body()).expect(403);
  await server.put(solver, 'footage', id.footage, body()).expect(201);
  const crooked = body({ masks: [{ id: randomUUID(), name: 'none', keys: [{ index: 0, outline: [[0, 0]] }], from: null, to: null }] } as Partial<FootageBody>);
  await server.put(solver, 'footage', randomUUID(), crooked).expect(422);
});

test('its features come out as tracks that lie on the set, marks under their names, with small pictures of each frame', async () => {
  const before = readdirSync(os.tmpdir()).filter((f) => f.startsWith('mesure-frames-')).length;
  const done = await follow(solver);
  expect([done.status, done.error]).toEqual(['done', null]);
  const outcome = done.outcome as TracksOutcome;
  expect(outcome).toMatchObject({ kind: 'tracks', widthPx: 640, heightPx: 360, firstFrame: 1001, judged: true, clip: { timecode: STOVE_CLIP.timecode } });
  expect(outcome.frames).toHaveLength(40);
  expect(Math.min(...outcome.frames.map((f) => f.tracks))).toBeGreaterThanOrEqual(30);
  expect(outcome.counts.moving).toBeGreaterThan(4);
  const file = async (what: string) =>
    (
      await wrangler.agent
        .get(server.at(`/files/${outcome.files.find((f) => f.what === what)!.sha256}`))
        .buffer()
        .parse(bytesOf)
        .expect(200)
    ).body as Buffer;
  expect(jpegsOf(await file('strip'))).toHaveLength(40);
  const rows = (await file('tracks'))
    .toString('utf8')
    .trim()
    .split('\n')
    .slice(1)
    .map((l) => l.split(','));
  const clip = stoveClip();
  const off: number[] = [];
  for (const [track, frame, x, y, weight] of rows) {
    const mark = SETS.galley.marks.find((m) => m.id === track);
    if (!mark || Number(weight) === 0) continue;
    const truth = seenAt(stoveCamera(Number(frame) - 1001), mark.at)!;
    off.push(Math.hypot(Number(x) - truth.xPx, Number(y) - truth.yPx));
  }
  off.sort((a, b) => a - b);
  expect(off.length).toBeGreaterThan(120);
  expect(off[Math.floor(0.9 * off.length)]).toBeLessThan(0.6);
  // nothing on the trolley may be used
  const onBox = rows.filter(([, frame, x, y, weight]) => Number(weight) > 0 && clip.kindAt(Number(frame) - 1001, Number(x), Number(y)) === 'box');
  expect(onBox.length / rows.length).toBeLessThan(0.01);
  // what was laid out on the disk is gone
  expect(readdirSync(os.tmpdir()).filter((f) => f.startsWith('mesure-frames-')).length).toBe(before);
});

test('a mask makes the tracks old, and the list says so without what is large', async () => {
  const mask = { id: randomUUID(), name: 'trolley', keys: [{ index: 0, outline: [[400, 200], [640, 200], [640, 360], [400, 360]] as [number, number][] }], from: null, to: null }; // prettier-ignore
  await server.put(solver, 'footage', id.footage, body({ masks: [mask] }), { baseVersion: 1 }).expect(200);
  const { body: list } = await wrangler.agent.get(server.at('/analyses')).expect(200);
  const mine = (list.analyses as Analysis[]).find((a) => a.subjectId === id.footage)!;
  expect(mine.stale).toMatchObject({ what: `clip ${STOVE_CLIP.file}` });
  expect((mine.outcome as TracksOutcome).frames).toEqual([]);
});

test('pictures of a sequence are a clip too: numbered by their names, shown one by one, followed like one', async () => {
  const clip = stoveClip();
  const zip = new JSZip();
  for (let i = 0; i < 10; i += 1) {
    const { widthPx, heightPx, data } = clip.at(i);
    zip.file(
      `39A/stove.${2101 + i}.png`,
      await sharp(Buffer.from(data), { raw: { width: widthPx, height: heightPx, channels: 1 } })
        .png()
        .toBuffer(),
    );
  }
  const pictures = (await server.give(solver, await zip.generateAsync({ type: 'nodebuffer', compression: 'STORE' }), 'stove.zip', 'clip').expect(201)).body as UploadedFile;
  expect(pictures).toMatchObject({ widthPx: 640, heightPx: 360, clip: { frames: 10, fps: null, firstNumber: 2101 } });
  const frame = await wrangler.agent
    .get(server.at(`/files/${pictures.sha256}/frame?n=9`))
    .buffer()
    .parse(bytesOf)
    .expect(200);
  expect((await sharp(frame.body as Buffer).metadata()).width).toBe(640);
  await wrangler.agent.get(server.at(`/files/${pictures.sha256}/frame?n=10`)).expect(422);
  const footage = randomUUID();
  const { marks: _none, ...rest } = body({ file: { sha256: pictures.sha256, name: 'stove.zip' }, frames: 10, fps: null, timecode: null, firstFrame: 2101 });
  await server.put(solver, 'footage', footage, { ...rest, marks: [] }).expect(201);
  const done = await server.compute(solver, 'tracks', footage);
  expect([done.status, done.error]).toEqual(['done', null]);
  const outcome = done.outcome as TracksOutcome;
  expect(outcome).toMatchObject({ firstFrame: 2101, widthPx: 640 });
  expect(outcome.frames).toHaveLength(10);
  expect(Math.min(...outcome.frames.map((f) => f.tracks))).toBeGreaterThanOrEqual(30);
});

test('pictures with a gap are refused before anything is kept: what stands behind it would be frames off', async () => {
  const zip = new JSZip();
  for (const n of [1, 2, 4])
    zip.file(
      `a.${n}.png`,
      await sharp({ create: { width: 64, height: 36, channels: 3, background: '#444' } })
        .png()
        .toBuffer(),
    );
  const answer = await server.give(solver, await zip.generateAsync({ type: 'nodebuffer' }), 'gap.zip', 'clip').expect(422);
  expect(answer.body.detail).toMatch(/frame 3 is missing between 2 and 4/);
});

test('a file that ends in the middle is refused in words, and leaves nothing behind', async () => {
  const cut = path.join(server.dir, 'cut.mp4');
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'testsrc=s=160x90:r=24:d=2', '-c:v', 'mpeg4', '-y', cut]);
  const bytes = readFileSync(cut);
  const answer = await server.give(solver, bytes.subarray(0, bytes.length >> 1), 'cut.mp4', 'clip');
  expect(answer.body).toMatchObject({ code: 'UNREADABLE_FILE', detail: expect.stringMatching(/cut\.mp4/) });
});
