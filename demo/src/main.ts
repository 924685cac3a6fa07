import { connect, hashPassword, migrate, openQueue, readConfig, storeOf, writeRecord, type Database, type FileStore } from '@mesure/server';
import { randomUUID } from 'node:crypto';
import { mkdir, readFile, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Analysis, AnalysisKind, KeptFile, TracksOutcome } from '@mesure/contract';
import type { ComputeAnswer, ComputeInput, Given } from '@mesure/server/jobs/compute-types';
import { prepare } from '@mesure/server/jobs/given';
import { buildInput } from '@mesure/server/jobs/inputs';
import { countDetail } from '@mesure/core';
import { threadsOf } from '@mesure/server/jobs/thread-options';
import { availableParallelism } from 'node:os';
import { MessageChannel } from 'node:worker_threads';
import sharp from 'sharp';
import { STOVE_CLIP } from './footage';
import { idOf } from './ids';
import { KIND_TRACKS, type KindTracks } from './kinds-of-takes';
import { LINE_UP_SIZE } from './line-up-picture';
import type { Pictures } from './pictures';
import { RECCE_SIZE } from './recce-picture';
import { ROOM_SIZE } from './room-picture';
import { LENS18_FILE, lens18Metadata } from './lens-elsewhere';
import { jettyMoveUsda } from './move-elsewhere';
import { OTHER_PRODUCTION, PASSWORD, PEOPLE, PRODUCTION, scenario, STOVE_FOOTAGE } from './scenario';
import { PANORAMA_SECONDS, STILLS_MODE } from './stills-walk';
import { ZOOM_PLATES } from './zoom';
import { galleyDolly, jettyCrane, passagePan, tracksCsv } from './shots';

/**
 * Migrates, and loads the demo where the database holds nothing, with people to sign in as. `add PERSON` puts it beside films of one's own,
 * without those people: their password is in the README. What people entered before is never touched.
 */
const config = readConfig(process.env);
/** This runs from .build/. */
const BUILT = path.dirname(fileURLToPath(import.meta.url));
const FOOTAGE = path.resolve(BUILT, '../demo/footage');
/** What is rendered and computed takes a minute and a half of one core: each of them has its part of it. */
const CORES = availableParallelism();
const rendering = threadsOf(path.join(BUILT, 'demo-pictures.mjs'), CORES);
const computing = threadsOf(path.join(BUILT, 'compute.mjs'), CORES);
const rendered = <K extends keyof Pictures>(name: K): Promise<Pictures[K]> => rendering.run(name) as Promise<Pictures[K]>;
const say = (text: string) => process.stderr.write(`${text}\n`);
const db = connect(config.databaseUrl);
const store = storeOf(config);
const applied = await migrate(db.sequelize);
if (applied.length > 0) say(`Database prepared (${applied.join(', ')}).`);
const [command, addFor] = process.argv.slice(2);
if (command === 'add') {
  if (!(await db.Production.findByPk(PRODUCTION.id))) await loadOrNothing([PRODUCTION], []);
  await db.Membership.upsert({ userId: addFor, productionId: PRODUCTION.id, role: 'owner' });
  process.stdout.write(PRODUCTION.id);
} else if ((await db.Production.count()) === 0) {
  await loadOrNothing([PRODUCTION, OTHER_PRODUCTION], PEOPLE);
}
// made here once, before web and worker start side by side
const queue = await openQueue(config.databaseUrl);
await queue.stop({ graceful: false });
await Promise.all([rendering, computing].map((threads) => threads.destroy()));
await db.sequelize.close();

/** A load that fails takes back what it wrote, so that the next one loads it whole. */
async function loadOrNothing(productions: readonly (typeof PRODUCTION)[], people: readonly (typeof PEOPLE)[number][]): Promise<void> {
  try {
    say('Rendering the demo: lens grids and camera moves …');
    const passwordHash = people.length > 0 ? await hashPassword(PASSWORD) : '';
    await db.Production.bulkCreate([...productions]);
    await db.User.bulkCreate(people.map((p) => ({ id: p.id, name: p.name, passwordHash })));
    await db.Membership.bulkCreate(people.map((p) => ({ userId: p.id, productionId: p.productionId, role: p.role })));
    await load(db, store);
  } catch (error) {
    await db.Production.destroy({ where: { id: productions.map((p) => p.id) } });
    await db.User.destroy({ where: { id: people.map((p) => p.id) } });
    throw error;
  }
}

async function load(database: Database, files: FileStore): Promise<void> {
  const samples = path.join(config.dataDir, 'demo-files');
  await mkdir(samples, { recursive: true });
  const keep = async (name: string, bytes: Uint8Array, mime: string, size: [number, number] | null): Promise<string> => {
    const temporary = path.join(samples, `.${randomUUID()}`);
    await writeFile(temporary, bytes);
    const sha256 = await files.put(temporary);
    await database.StoredFile.upsert({ productionId: PRODUCTION.id, sha256, name, mime, sizeBytes: bytes.length, widthPx: size?.[0] ?? null, heightPx: size?.[1] ?? null });
    return sha256;
  };
  const galley = Buffer.from(tracksCsv(galleyDolly().shot));
  const [clip, recce, stills, boat, room, lineUp, lineUpCrane, plate32, plate25, zoom, panorama, slate] = await Promise.all([
    followed(files, keep),
    rendered('recce'),
    rendered('stills'),
    rendered('boat'),
    rendered('room'),
    rendered('lineUp'),
    rendered('lineUpCrane'),
    rendered('plate32'),
    rendered('plate25'),
    rendered('zoom'),
    rendered('panorama'),
    rendered('slate'),
  ]);
  const ids = {
    plate32: await keep('A_orrinel32_grid.jpg', plate32, 'image/jpeg', [4096, 2160]),
    plate25: await keep('B_orrinel25_grid.jpg', plate25, 'image/jpeg', [3840, 2160]),
    recce: await keep('recce_passage.jpg', recce, 'image/jpeg', [RECCE_SIZE.widthPx, RECCE_SIZE.heightPx]),
    recceDetail: countDetail({ ...RECCE_SIZE, data: Float32Array.from(await sharp(recce).grayscale().raw().toBuffer()) }),
    room: await keep('B_passage_wall.jpg', room, 'image/jpeg', [ROOM_SIZE.widthPx, ROOM_SIZE.heightPx]),
    lineUp: await keep('47_t1_frame_36.jpg', lineUp, 'image/jpeg', [LINE_UP_SIZE.widthPx, LINE_UP_SIZE.heightPx]),
    lineUpCrane: await keep('36E_t1_frame_1.jpg', lineUpCrane, 'image/jpeg', [LINE_UP_SIZE.widthPx, LINE_UP_SIZE.heightPx]),
    moveJetty: await keep('42B_t2_post.usda', Buffer.from(jettyMoveUsda()), 'application/octet-stream', null),
    lens18: await keep(LENS18_FILE, Buffer.from(lens18Metadata()), 'application/octet-stream', null),
    zoom: await Promise.all(ZOOM_PLATES.map(async (q, i) => keep(q.name, zoom[i], 'image/jpeg', [1920, 1080]))),
    stills: await Promise.all(stills.map(async ({ bytes, ...q }) => ({ ...q, sha256: await keep(q.name, bytes, 'image/jpeg', [STILLS_MODE.widthPx, STILLS_MODE.heightPx]) }))),
    boat: await Promise.all(boat.map(async ({ bytes, ...q }) => ({ ...q, sha256: await keep(q.name, bytes, 'image/jpeg', [q.widthPx, q.heightPx]) }))),
    panorama: await Promise.all(
      PANORAMA_SECONDS.map(async (seconds, i) => ({
        seconds,
        name: `panorama_1_${i + 1}.jpg`,
        sha256: await keep(`panorama_1_${i + 1}.jpg`, panorama[i], 'image/jpeg', [1024, 512]),
      })),
    ),
    kinds: Object.fromEntries(
      await Promise.all(Object.entries(KIND_TRACKS).map(async ([kind, { name, make }]) => [kind, await keep(name, Buffer.from(tracksCsv({ tracks: make() })), 'text/csv', null)] as const)),
    ) as KindTracks,
    clipStove: clip.sha256,
    tracksStove: clip.outcome.files.find((f) => f.what === 'tracks')!.sha256,
    slate: await keep('42B_t2_slate.jpg', slate, 'image/jpeg', [640, 480]),
    tracksGalley: await keep('41A_t2_tracks.csv', galley, 'text/csv', null),
    tracksJetty: await keep('42B_t2_tracks.csv', Buffer.from(tracksCsv(jettyCrane().shot)), 'text/csv', null),
    tracksPassage: await keep('47_t1_tracks.csv', Buffer.from(tracksCsv(passagePan().shot)), 'text/csv', null),
  };
  const wrangler = PEOPLE.find((p) => p.name === 'wrangler')!;
  for (const seed of scenario(ids)) {
    // the server signs what somebody said with who sent it
    const said = (seed.body as { by?: string }).by;
    const { id, name } = PEOPLE.find((p) => p.name === said) ?? wrangler;
    await writeRecord(database, { userId: id, name, productionId: PRODUCTION.id }, seed.kind, seed.id, {
      mutationId: randomUUID(),
      baseVersion: 0,
      deleted: false,
      body: seed.body,
    });
  }
  say('Files to try by hand …');
  await writeFile(path.join(samples, STOVE_CLIP.file), await readFile(path.join(FOOTAGE, STOVE_CLIP.file)));
  await writeFile(path.join(samples, 'solved-elsewhere.usda'), jettyMoveUsda());
  const toTry = {
    'lens-map.exr': rendered('map'),
    'grid-good.jpg': rendered('fresh'),
    'grid-blurred.jpg': rendered('blurred'),
    'grid-small-chart.jpg': rendered('smallChart'),
    'no-chart.jpg': rendered('noChart'),
  };
  await Promise.all(Object.entries(toTry).map(async ([name, bytes]) => writeFile(path.join(samples, name), await bytes)));
  await writeFile(path.join(samples, 'tracks-galley.csv'), galley);
  for (const still of await rendered('stillsToTry')) await writeFile(path.join(samples, still.name), still.bytes);
  say('Computing what the day already holds …');
  await done(database, 'tracks', 'clip stove', await buildInput(database, PRODUCTION.id, 'tracks', idOf('clip stove'), {}), clip.outcome);
  const all = (kind: Parameters<typeof computed>[2], subjects: readonly string[]) => subjects.map((subject) => computed(database, files, kind, subject));
  await Promise.all(all('grid', ['plate 32', 'plate 25', 'plate 18', ...ZOOM_PLATES.map((_, i) => `plate zoom ${i}`)]));
  // they read what the plates gave
  await Promise.all([
    computed(database, files, 'solve', 'take 36D 1', { focalMode: 'guided', withWitness: idOf('package x') }),
    ...all('solve', ['take 42B 2', 'take 39A 1', 'take 36A 1', 'take 36B 1', 'take 36E 1', 'take 36F 1', 'take 36G 1']),
    computed(database, files, 'solve', 'take 36C 1', { motion: 'object' }),
    ...all('walk', ['setup test boat']),
  ]);
  await computed(database, files, 'elsewhere', 'elsewhere jetty');
}

async function computed(database: Database, files: FileStore, kind: 'grid' | 'solve' | 'elsewhere' | 'walk', subject: string, choice: Parameters<typeof buildInput>[4] = {}): Promise<void> {
  const input = await buildInput(database, PRODUCTION.id, kind, idOf(subject), choice);
  const { release: _release, ...given } = await prepare({ store: files, input, report: () => undefined, signal: new AbortController().signal });
  const answer = await inThread(input, given);
  if ('made' in answer) throw new Error(`${subject}: files, and no outcome`);
  await done(database, kind, subject, input, answer.outcome);
}

async function inThread(input: ComputeInput, given: Given): Promise<Extract<ComputeAnswer, { ok: true }>> {
  const { port1, port2 } = new MessageChannel();
  const answer = (await computing.run({ input, given, port: port2 }, { transferList: [port2] })) as ComputeAnswer;
  port1.close();
  if (!answer.ok) throw new Error(`${input.kind}: ${answer.message}`);
  return answer;
}

async function done(database: Database, kind: AnalysisKind, subject: string, input: ComputeInput, outcome: Analysis['outcome']): Promise<void> {
  await database.AnalysisRow.create({
    id: randomUUID(),
    productionId: PRODUCTION.id,
    kind,
    subjectId: idOf(subject),
    status: 'done',
    progress: 1,
    stage: 'done',
    input,
    outcome,
    error: null,
    finishedAt: new Date(),
  });
}

type Keep = (name: string, bytes: Uint8Array, mime: string, size: [number, number] | null) => Promise<string>;

/** The clip, and its features as the server's worker follows them. */
async function followed(files: FileStore, keep: Keep): Promise<{ sha256: string; outcome: TracksOutcome }> {
  const { file, widthPx, heightPx } = STOVE_CLIP;
  const sha256 = await keep(file, await readFile(path.join(FOOTAGE, file)), 'video/mp4', [widthPx, heightPx]);
  const input: ComputeInput = { kind: 'tracks', file: { sha256, name: file }, ...STOVE_FOOTAGE, squeeze: 1 };
  const { release, ...given } = await prepare({ store: files, input, report: () => undefined, signal: new AbortController().signal });
  try {
    const answer = await inThread(input, given);
    if (!('made' in answer) || answer.outcome.kind !== 'tracks') throw new Error(`${file}: no tracks`);
    const kept: KeptFile[] = [];
    for (const { name, mime, what, bytes } of answer.made) kept.push({ name, mime, what, sizeBytes: bytes.byteLength, sha256: await keep(name, Buffer.from(bytes), mime, null) });
    return { sha256, outcome: { ...answer.outcome, files: kept } };
  } finally {
    await release?.();
  }
}
