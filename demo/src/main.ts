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
import compute from '@mesure/server/jobs/compute';
import { MessageChannel } from 'node:worker_threads';
import sharp from 'sharp';
import { STOVE_CLIP } from './footage';
import { idOf } from './ids';
import { KIND_TRACKS, type KindTracks } from './kinds-of-takes';
import { CRANE_VIEW, LINE_UP_SIZE, lineUpPicture, PASSAGE_VIEW } from './line-up-picture';
import { blurredPlate, freshPlate, noChart, orrinel25Plate, orrinel32Plate, smallChartPlate } from './plates';
import { RECCE_SIZE, reccePicture } from './recce-picture';
import { ROOM_SIZE, roomPicture } from './room-picture';
import { LENS18_FILE, lens18Metadata, mapToTry } from './lens-elsewhere';
import { jettyMoveUsda } from './move-elsewhere';
import { OTHER_PRODUCTION, PASSWORD, PEOPLE, PRODUCTION, scenario, STOVE_FOOTAGE } from './scenario';
import { boatStills, boatWalk } from './boat-walk';
import { jettyPanorama, PANORAMA_SECONDS, passageStills, passageWalk, slatePicture, STILLS_MODE } from './stills-walk';
import { ZOOM_PLATES, zoomPlate } from './zoom';
import { galleyDolly, jettyCrane, passagePan, tracksCsv } from './shots';

/**
 * Migrates, and loads the demo where the database holds nothing, with people to sign in as. `add PERSON` puts it beside films of one's own,
 * without those people: their password is in the README. What people entered before is never touched.
 */
const config = readConfig(process.env);
/** This runs from .build/. */
const FOOTAGE = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../demo/footage');
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
  const keep = async (name: string, bytes: Buffer, mime: string, size: [number, number] | null): Promise<string> => {
    const temporary = path.join(samples, `.${randomUUID()}`);
    await writeFile(temporary, bytes);
    const sha256 = await files.put(temporary);
    await database.StoredFile.upsert({ productionId: PRODUCTION.id, sha256, name, mime, sizeBytes: bytes.length, widthPx: size?.[0] ?? null, heightPx: size?.[1] ?? null });
    return sha256;
  };
  const galley = Buffer.from(tracksCsv(galleyDolly().shot));
  const recce = await reccePicture();
  const stills = await passageStills(passageWalk('wall').stations);
  const boat = await boatStills(boatWalk().stations);
  const clip = await followed(files, keep);
  const ids = {
    plate32: await keep('A_orrinel32_grid.jpg', await orrinel32Plate(), 'image/jpeg', [4096, 2160]),
    plate25: await keep('B_orrinel25_grid.jpg', await orrinel25Plate(), 'image/jpeg', [3840, 2160]),
    recce: await keep('recce_passage.jpg', recce, 'image/jpeg', [RECCE_SIZE.widthPx, RECCE_SIZE.heightPx]),
    recceDetail: countDetail({ ...RECCE_SIZE, data: Float32Array.from(await sharp(recce).grayscale().raw().toBuffer()) }),
    room: await keep('B_passage_wall.jpg', await roomPicture(), 'image/jpeg', [ROOM_SIZE.widthPx, ROOM_SIZE.heightPx]),
    lineUp: await keep('47_t1_frame_36.jpg', await lineUpPicture(PASSAGE_VIEW), 'image/jpeg', [LINE_UP_SIZE.widthPx, LINE_UP_SIZE.heightPx]),
    lineUpCrane: await keep('36E_t1_frame_1.jpg', await lineUpPicture(CRANE_VIEW), 'image/jpeg', [LINE_UP_SIZE.widthPx, LINE_UP_SIZE.heightPx]),
    moveJetty: await keep('42B_t2_post.usda', Buffer.from(jettyMoveUsda()), 'application/octet-stream', null),
    lens18: await keep(LENS18_FILE, Buffer.from(lens18Metadata()), 'application/octet-stream', null),
    zoom: await Promise.all(ZOOM_PLATES.map(async (q, i) => keep(q.name, await zoomPlate(i), 'image/jpeg', [1920, 1080]))),
    stills: await Promise.all(stills.map(async ({ bytes, ...q }) => ({ ...q, sha256: await keep(q.name, bytes, 'image/jpeg', [STILLS_MODE.widthPx, STILLS_MODE.heightPx]) }))),
    boat: await Promise.all(boat.map(async ({ bytes, ...q }) => ({ ...q, sha256: await keep(q.name, bytes, 'image/jpeg', [q.widthPx, q.heightPx]) }))),
    panorama: await Promise.all(
      PANORAMA_SECONDS.map(async (seconds, i) => ({
        seconds,
        name: `panorama_1_${i + 1}.jpg`,
        sha256: await keep(`panorama_1_${i + 1}.jpg`, await jettyPanorama(seconds), 'image/jpeg', [1024, 512]),
      })),
    ),
    kinds: Object.fromEntries(
      await Promise.all(Object.entries(KIND_TRACKS).map(async ([kind, { name, make }]) => [kind, await keep(name, Buffer.from(tracksCsv({ tracks: make() })), 'text/csv', null)] as const)),
    ) as KindTracks,
    clipStove: clip.sha256,
    tracksStove: clip.outcome.files.find((f) => f.what === 'tracks')!.sha256,
    slate: await keep('42B_t2_slate.jpg', await slatePicture('42B', 2), 'image/jpeg', [640, 480]),
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
  await writeFile(path.join(samples, 'lens-map.exr'), await mapToTry());
  await writeFile(path.join(samples, 'grid-good.jpg'), await freshPlate());
  await writeFile(path.join(samples, 'grid-blurred.jpg'), await blurredPlate());
  await writeFile(path.join(samples, 'grid-small-chart.jpg'), await smallChartPlate());
  await writeFile(path.join(samples, 'no-chart.jpg'), await noChart());
  await writeFile(path.join(samples, 'tracks-galley.csv'), galley);
  for (const still of await passageStills(passageWalk('wall').stations, true)) await writeFile(path.join(samples, still.name), still.bytes);
  say('Computing what the day already holds …');
  await done(database, 'tracks', 'clip stove', await buildInput(database, PRODUCTION.id, 'tracks', idOf('clip stove'), {}), clip.outcome);
  // the solves last: they read what the plates gave
  for (const subject of ['plate 32', 'plate 25', 'plate 18', ...ZOOM_PLATES.map((_, i) => `plate zoom ${i}`)]) await computed(database, files, 'grid', subject);
  for (const subject of ['take 42B 2', 'take 39A 1', 'take 36A 1', 'take 36B 1', 'take 36E 1', 'take 36F 1', 'take 36G 1']) await computed(database, files, 'solve', subject);
  await computed(database, files, 'solve', 'take 36C 1', { motion: 'object' });
  await computed(database, files, 'solve', 'take 36D 1', { focalMode: 'guided', withWitness: idOf('package x') });
  await computed(database, files, 'elsewhere', 'elsewhere jetty');
  await computed(database, files, 'walk', 'setup test boat');
}

async function computed(database: Database, files: FileStore, kind: 'grid' | 'solve' | 'elsewhere' | 'walk', subject: string, choice: Parameters<typeof buildInput>[4] = {}): Promise<void> {
  const input = await buildInput(database, PRODUCTION.id, kind, idOf(subject), choice);
  const { release: _release, ...given } = await prepare({ store: files, input, report: () => undefined, signal: new AbortController().signal });
  const answer = await inThisThread(input, given);
  if ('made' in answer) throw new Error(`${subject}: files, and no outcome`);
  await done(database, kind, subject, input, answer.outcome);
}

async function inThisThread(input: ComputeInput, given: Given): Promise<Extract<ComputeAnswer, { ok: true }>> {
  const { port1, port2 } = new MessageChannel();
  const answer = await compute({ input, given, port: port2 });
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

type Keep = (name: string, bytes: Buffer, mime: string, size: [number, number] | null) => Promise<string>;

/** The clip, and its features as the server's worker follows them. */
async function followed(files: FileStore, keep: Keep): Promise<{ sha256: string; outcome: TracksOutcome }> {
  const { file, widthPx, heightPx } = STOVE_CLIP;
  const sha256 = await keep(file, await readFile(path.join(FOOTAGE, file)), 'video/mp4', [widthPx, heightPx]);
  const input: ComputeInput = { kind: 'tracks', file: { sha256, name: file }, ...STOVE_FOOTAGE, squeeze: 1 };
  const { release, ...given } = await prepare({ store: files, input, report: () => undefined, signal: new AbortController().signal });
  try {
    const answer = await inThisThread(input, given);
    if (!('made' in answer) || answer.outcome.kind !== 'tracks') throw new Error(`${file}: no tracks`);
    const kept: KeptFile[] = [];
    for (const { name, mime, what, bytes } of answer.made) kept.push({ name, mime, what, sizeBytes: bytes.byteLength, sha256: await keep(name, Buffer.from(bytes), mime, null) });
    return { sha256, outcome: { ...answer.outcome, files: kept } };
  } finally {
    await release?.();
  }
}
