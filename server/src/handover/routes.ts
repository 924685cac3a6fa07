import type { FileRef, HandOver, HandoverBody, HandoverPlan, KeptHandover, ReceiverBody } from '@mesure/contract';
import { handOverSchema, idSchema } from '@mesure/contract/schemas';
import { randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { copyFile, link, mkdir, mkdtemp, rename, rm, stat, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { finished } from 'node:stream/promises';
import type { Database } from '../db/connect';
import { viewerOf, type Viewer } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { ServerConfig } from '../config';
import type { FileThread } from '../files/file-thread';
import { spaceOf } from '../files/space';
import type { FileStore } from '../files/store';
import type { Route } from '../http/route';
import { idParam, must } from '../http/validate';
import { writeRecord } from '../records/service';
import { manifestText, packZip, readManifest, withoutLost, type Packed } from './pack';
import { planHandover, type Handover } from './plan';
import { AS_KEPT, wishesWords } from './receiver';

export function handoverRoutes(db: Database, store: FileStore, thread: FileThread, config: Pick<ServerConfig, 'dataDir' | 'space' | 'handoverDir'>): Route[] {
  const space = spaceOf(db, config.dataDir, config.space, async () => undefined);
  return [
    {
      method: 'get',
      path: '/days/:dayId',
      access: 'read',
      what: 'What a day hands over, what it still lacks, and to whom it was handed over; `receiver` names whose wishes it follows.',
      handle: async (req, res) => {
        const { productionId } = viewerOf(req);
        const asked = typeof req.query.receiver === 'string' ? must(idSchema, req.query.receiver) : null;
        const wishes = asked === null ? AS_KEPT : await receiverOf(db, productionId, asked);
        const { name: _name, ...plan } = await planHandover(db, productionId, idParam(req, 'dayId'), { wishes });
        const answer: HandoverPlan = { ...plan, files: plan.files.map(({ path: at, what, readWith }) => ({ path: at, what, readWith })) };
        res.json(answer);
      },
    },

    {
      method: 'post',
      path: '/days/:dayId/handovers',
      access: 'record',
      what: 'Hands a day over, whole or what is new since an earlier handover, as one zip; when all files have left it is recorded to whom.',
      body: handOverSchema,
      handle: async (req, res) => {
        const v = viewerOf(req);
        const dayId = idParam(req, 'dayId');
        const asked = must(handOverSchema, req.body) as Required<HandOver>;
        const receiver = asked.receiverId === null ? null : await receiverOf(db, v.productionId, asked.receiverId);
        const format = receiver?.maps ?? asked.maps;
        const plan = await withoutLost(await planHandover(db, v.productionId, dayId, { maps: format === 'none' ? null : { format, thread }, wishes: receiver ?? AS_KEPT }), store);
        if (plan.files.length === 0) throw new ApiProblem('NOT_READY', 'There is nothing to hand over yet: no take of this day has a solve, and nothing was measured.');
        const before = asked.supplementTo === null ? null : await manifestOf(db, store, v.productionId, dayId, asked.supplementTo);
        const name = `${plan.name}-${before ? 'supplement' : 'handover'}.zip`;
        const lines = receiver ? wishesWords(receiver.name, receiver) : [];
        if (asked.target === 'server') {
          res.status(201).json(await keepOnServer({ db, store, space, folder: config.handoverDir, v, dayId, asked, plan, before, name, lines }));
          return;
        }
        res.attachment(name);
        await packZip(res, plan, store, before, (packed) => keep(db, store, v, dayId, asked, plan, packed, null), lines);
      },
    },

    {
      method: 'delete',
      path: '/days/:dayId/handovers/:handoverId/zip',
      access: 'direct',
      what: 'Removes the zip of a handover that was kept on the server, for good; that the day was handed over stays.',
      handle: async (req, res) => {
        const v = viewerOf(req);
        const id = idParam(req, 'handoverId');
        const entry = await db.Entry.findOne({ where: { id, productionId: v.productionId, kind: 'handover', deleted: false } });
        const body = entry?.body as HandoverBody | undefined;
        if (!entry || !body || body.dayId !== idParam(req, 'dayId')) throw new ApiProblem('NOT_FOUND', 'There is no such handover of this day.');
        if (!body.zip) throw new ApiProblem('NOT_FOUND', 'No zip of this handover is on the server.');
        await writeRecord(db, v, 'handover', id, { mutationId: randomUUID(), baseVersion: entry.version, deleted: false, body: { ...body, zip: null } });
        await letGo(db, store, v.productionId, body.zip.sha256);
        res.status(204).end();
      },
    },
  ];
}

/** The bytes go where nothing else has them: another handover may be the same zip, and another production too. */
async function letGo(db: Database, store: FileStore, productionId: string, sha256: string): Promise<void> {
  const others = (await db.Entry.findAll({ where: { productionId, kind: 'handover', deleted: false } })).some((e) => (e.body as HandoverBody).zip?.sha256 === sha256);
  if (others) return;
  await db.StoredFile.destroy({ where: { productionId, sha256 } });
  if ((await db.StoredFile.count({ where: { sha256 } })) === 0) await store.remove(sha256);
}

/** How somebody wants it. @throws ApiProblem NOT_FOUND */
async function receiverOf(db: Database, productionId: string, id: string): Promise<ReceiverBody> {
  const entry = await db.Entry.findOne({ where: { id, productionId, kind: 'receiver', deleted: false } });
  if (!entry) throw new ApiProblem('NOT_FOUND', 'There is no such receiver.');
  return entry.body as ReceiverBody;
}

/** What left with an earlier handover of the day. @throws ApiProblem */
async function manifestOf(db: Database, store: FileStore, productionId: string, dayId: string, id: string) {
  const entry = await db.Entry.findOne({ where: { id, productionId, kind: 'handover', deleted: false } });
  const body = entry?.body as HandoverBody | undefined;
  if (!body || body.dayId !== dayId) throw new ApiProblem('NOT_FOUND', 'There is no such handover of this day.');
  if (!(await store.has(body.manifest.sha256))) throw new ApiProblem('NOT_READY', 'The list of what left then is lost. Hand the whole day over.');
  return { words: `what was handed over to ${body.to} by ${body.by}, ${body.at}`, manifest: readManifest((await store.read(body.manifest.sha256)).toString('utf8')) };
}

interface Keeping {
  db: Database;
  store: FileStore;
  space: ReturnType<typeof spaceOf>;
  /** where a copy is put; null: nowhere */
  folder: string | null;
  v: Viewer;
  dayId: string;
  asked: HandOver;
  plan: Handover;
  before: Awaited<ReturnType<typeof manifestOf>> | null;
  name: string;
  lines: readonly string[];
}

/** The zip whole on the server, among its files: from there it is fetched, in parts if need be; and a copy where the server was told to put one. */
async function keepOnServer({ db, store, space, folder, v, dayId, asked, plan, before, name, lines }: Keeping): Promise<KeptHandover> {
  const dir = await mkdtemp(path.join(os.tmpdir(), 'mesure-kept-'));
  try {
    const file = path.join(dir, name);
    const out = createWriteStream(file);
    let packed: Packed | null = null;
    await Promise.all([
      finished(out),
      packZip(
        out,
        plan,
        store,
        before,
        async (p) => {
          packed = p;
        },
        lines,
      ),
    ]);
    if (!packed) throw new Error('the zip broke off');
    const { size: sizeBytes } = await stat(file);
    await space.begin(asked.id, v, sizeBytes);
    const copiedTo = folder === null ? null : await copyInto(folder, v.productionId, file, name);
    const sha256 = await store.put(file);
    await db.StoredFile.upsert({ productionId: v.productionId, sha256, sizeBytes, name, mime: 'application/zip', widthPx: null, heightPx: null });
    await keep(db, store, v, dayId, asked, plan, packed, { sha256, name });
    return { name, sha256, sizeBytes, copiedTo };
  } finally {
    await space.end(asked.id);
    await rm(dir, { recursive: true, force: true });
  }
}

/** Whole or not there: who waits at the folder never takes half a zip. One of the same name stays beside it. */
async function copyInto(folder: string, productionId: string, file: string, name: string): Promise<string> {
  const dir = path.join(folder, productionId);
  await mkdir(dir, { recursive: true });
  const partial = path.join(dir, `.${randomUUID()}.part`);
  await copyFile(file, partial);
  for (let n = 1; ; n += 1) {
    const target = path.join(dir, n === 1 ? name : name.replace(/\.zip$/, `-${n}.zip`));
    const made = await placed(partial, target);
    if (!made) continue;
    await rm(partial, { force: true });
    return target;
  }
}

/** False where something is already. A link fails there, and a rename would take its place; a shared drive that knows no links is looked at first. */
async function placed(partial: string, target: string): Promise<boolean> {
  try {
    await link(partial, target);
    return true;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return false;
    const there = await stat(target).then(
      () => true,
      () => false,
    );
    if (!there) await rename(partial, target);
    return !there;
  }
}

/** Handed over is a state: to whom, by whom, when, and the list of what left. */
async function keep(db: Database, store: FileStore, v: Viewer, dayId: string, asked: HandOver, plan: Handover, packed: Packed, zip: FileRef | null): Promise<void> {
  const dir = await mkdtemp(path.join(os.tmpdir(), 'mesure-manifest-'));
  try {
    const name = `${plan.name}.sha256`;
    const file = path.join(dir, name);
    const text = manifestText(packed.all);
    await writeFile(file, text);
    const sha256 = await store.put(file);
    await db.StoredFile.upsert({ productionId: v.productionId, sha256, sizeBytes: Buffer.byteLength(text), name, mime: 'text/plain', widthPx: null, heightPx: null });
    const body: HandoverBody = {
      dayId,
      to: asked.to,
      receiverId: asked.receiverId,
      by: v.name,
      at: new Date().toISOString(),
      supplementTo: asked.supplementTo,
      manifest: { sha256, name },
      files: packed.left,
      sizeBytes: packed.sizeBytes,
      ...(zip ? { zip } : {}),
      missing: plan.missing.filter((m) => !m.answer).length,
    };
    await writeRecord(db, v, 'handover', asked.id, { mutationId: randomUUID(), baseVersion: 0, deleted: false, body });
  } finally {
    await rm(dir, { recursive: true, force: true });
  }
}
