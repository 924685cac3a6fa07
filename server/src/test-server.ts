import { type Analysis, type AnalysisKind, blankTake, filesNamed, ROLES, type Role, type TakeBody } from '@mesure/contract';
import { createHash, randomUUID } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import os from 'node:os';
import path from 'node:path';
import type { Express } from 'express';
import pino from 'pino';
import request from 'supertest';
import {
  buildApp,
  routesOf,
  type Route,
  connect,
  hashPassword,
  migrate,
  openFileThread,
  openQueue,
  openStream,
  startWorker,
  type Database,
  type FileStore,
  type ServerConfig,
  type WorkerOptions,
} from '.';
import { readBucketPlace } from './files/bucket';
import { storeOf } from './files/storage';

export const PASSWORD = 'right password';
/** Hundreds of sign-ins need no attacker's cost; accounts that are made by the routes have it. */
const LIGHT_LOG2 = 10;
export const METRICS_TOKEN = 'who collects the figures of this server';
export type Person = { agent: ReturnType<typeof request.agent>; csrf: string };

export type TestPerson = Role | 'stranger';

/** A server on a database of its own in the tests' cluster: production One with a person of each role, called by it; production Two with a stranger. */
export interface TestServer {
  db: Database;
  app: Express;
  /** every address of it */
  routes: Route[];
  boss: Awaited<ReturnType<typeof openQueue>>;
  store: FileStore;
  url: string;
  /** where it listens: many requests at once share one server */
  address: string;
  dir: string;
  ids: { p1: string; p2: string } & Record<TestPerson, string>;
  at(address: string): string;
  signIn(name: string): Promise<Person>;
  put(who: Person, kind: string, id: string, body: object, change?: object): request.Test;
  /** a whole file in one piece */
  give(who: Person, bytes: Buffer, name: string, use: string, more?: Record<string, string>): request.Test;
  startWorker(change?: Partial<Pick<WorkerOptions, 'abandonedAfterMs' | 'computeFile' | 'limitMs'>>): Promise<{ stop(): Promise<void> }>;
  /** the least that a take needs, and a take of it */
  /** a file that the production was given, as far as records can tell; without its bytes */
  own(name: string, production?: string): Promise<{ sha256: string; name: string }>;
  /** the same for every file that a body names */
  ownAll(body: object): Promise<void>;
  /** a computation, to its end */
  compute(who: Person, kind: AnalysisKind, subjectId: string, options?: object): Promise<Analysis>;
  /** the zip of a day that is handed over, as bytes */
  handOver(who: Person, dayId: string, asked?: object): Promise<Buffer>;
  layDay(who: Person): Promise<{ pack: string; lens: string; setup: string; take: (number: number) => TakeBody }>;
  stop(): Promise<void>;
}

/** A bundle of the server's, as it runs. */
const built = (name: string) => path.resolve(__dirname, '../../.build', name);

/** A new database in the tests' cluster; its address. */
export async function createDatabase(name: string): Promise<string> {
  const admin = connect(process.env.MESURE_TEST_CLUSTER!);
  const unique = `${name}_${randomUUID().replace(/-/g, '')}`;
  await admin.sequelize.query(`create database ${unique}`);
  await admin.sequelize.close();
  return process.env.MESURE_TEST_CLUSTER!.replace(/\/postgres$/, `/${unique}`);
}

async function fill(db: Database, ids: TestServer['ids']): Promise<void> {
  await migrate(db.sequelize);
  const passwordHash = await hashPassword(PASSWORD, LIGHT_LOG2);
  await db.Production.bulkCreate([
    { id: ids.p1, name: 'One' },
    { id: ids.p2, name: 'Two' },
  ]);
  await db.User.bulkCreate(([...ROLES, 'stranger'] as const).map((name) => ({ id: ids[name], name, passwordHash })));
  await db.Membership.bulkCreate([...ROLES.map((role) => ({ userId: ids[role], productionId: ids.p1, role })), { userId: ids.stranger, productionId: ids.p2, role: 'owner' as const }]);
}

export async function startTestServer({
  worker: wanted = true,
  webDir,
  bucket,
  beside,
}: {
  worker?: boolean;
  webDir?: string;
  /** as MESURE_BUCKET says it */
  bucket?: string;
  /** one more machine of the same installation: its database, and nothing of its folder */
  beside?: TestServer;
} = {}): Promise<TestServer> {
  const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-server-'));
  const url = beside?.url ?? (await createDatabase('test'));
  const db = connect(url);
  const ids = beside?.ids ?? { p1: randomUUID(), p2: randomUUID(), ...(Object.fromEntries([...ROLES, 'stranger'].map((name) => [name, randomUUID()])) as Record<TestPerson, string>) };
  if (!beside) await fill(db, ids);
  const boss = await openQueue(url);
  const log = pino({ level: 'silent' });
  const config: ServerConfig = {
    databaseUrl: url,
    dataDir: dir,
    webDir: webDir ?? path.join(dir, 'none'),
    host: '127.0.0.1',
    port: 0,
    logLevel: 'silent',
    tls: null,
    behindProxy: false,
    authorityFile: null,
    addresses: [],
    trustAddress: null,
    secureCookies: false,
    maxUploadBytes: 20_000_000,
    maxLargeUploadBytes: 30_000_000,
    handoverDir: path.join(dir, 'handed-over'),
    metricsToken: METRICS_TOKEN,
    space: { productionBytes: 200_000_000, begunByPerson: 40, reserveBytes: 0 },
    bucket: bucket ? readBucketPlace(bucket) : null,
    cacheBytes: 50_000_000,
  };
  const store = storeOf(config);
  const stream = openStream(db, url, log);
  await stream.ready;
  const fileThread = openFileThread(built('file-thread.mjs'));
  const parts = { config, db, boss, store, fileThread, stream, log };
  const app = buildApp(parts);
  const listening = app.listen(0, '127.0.0.1');
  await new Promise((done) => listening.once('listening', done));
  const address = `http://127.0.0.1:${(listening.address() as AddressInfo).port}`;
  const begin: TestServer['startWorker'] = (change = {}) => startWorker({ db, boss, store, log, computeFile: built('compute.mjs'), ...change });
  const worker = wanted ? await begin() : null;
  const at = (address: string) => `/api/productions/${ids.p1}${address}`;
  const put: TestServer['put'] = (who, kind, id, body, change = {}) =>
    who.agent
      .put(at(`/records/${kind}/${id}`))
      .set('x-csrf-token', who.csrf)
      .send({ mutationId: randomUUID(), baseVersion: 0, deleted: false, body, ...change });
  return {
    db,
    app,
    routes: routesOf(parts),
    boss,
    store,
    url,
    address,
    dir,
    ids,
    at,
    startWorker: begin,
    async signIn(name) {
      const agent = request.agent(address);
      const r = await agent.post('/api/session').send({ name, password: PASSWORD }).expect(201);
      return { agent, csrf: r.body.csrfToken };
    },
    put,
    give: (who, bytes, name, use, more = {}) =>
      who.agent
        .post(at('/files/uploads'))
        .set({
          'x-csrf-token': who.csrf,
          'tus-resumable': '1.0.0',
          'upload-length': String(bytes.length),
          'upload-metadata': Object.entries({ name, use, ...more })
            .map(([key, value]) => `${key} ${Buffer.from(value).toString('base64')}`)
            .join(','),
          'content-type': 'application/offset+octet-stream',
        })
        .send(bytes),
    async own(name, production = ids.p1) {
      const sha256 = createHash('sha256').update(name).digest('hex');
      await db.StoredFile.create({ productionId: production, sha256, name, mime: 'application/octet-stream', sizeBytes: 9, widthPx: null, heightPx: null });
      return { sha256, name };
    },
    async ownAll(body) {
      for (const { sha256, name } of filesNamed(body))
        await db.StoredFile.upsert({ productionId: ids.p1, sha256, name, mime: 'application/octet-stream', sizeBytes: 9, widthPx: null, heightPx: null });
    },
    async compute(who, kind, subjectId, options = {}) {
      const asked = { id: randomUUID(), kind, subjectId, options };
      await who.agent.post(at('/analyses')).set('x-csrf-token', who.csrf).send(asked).expect(202);
      for (;;) {
        const { body: now } = await who.agent.get(at(`/analyses/${asked.id}`)).expect(200);
        if (now.status !== 'queued' && now.status !== 'running') return now as Analysis;
        await new Promise((r) => setTimeout(r, 100));
      }
    },
    async handOver(who, dayId, asked = {}) {
      const answer = await who.agent
        .post(at(`/days/${dayId}/handovers`))
        .set('x-csrf-token', who.csrf)
        .send({ id: randomUUID(), to: 'Lisk', supplementTo: null, ...asked })
        .buffer(true)
        .parse((res, done) => {
          const parts: Buffer[] = [];
          res.on('data', (part: Buffer) => parts.push(part));
          res.on('end', () => done(null, Buffer.concat(parts)));
        })
        .expect(200);
      return answer.body as Buffer;
    },
    async layDay(who) {
      const [body, mode, lens, pack, set, day, setup] = Array.from({ length: 7 }, () => randomUUID());
      const make = async (kind: string, id: string, value: object) => void (await put(who, kind, id, value).expect(201));
      await make('body', body, { name: 'B', modes: [{ id: mode, name: 'm', widthPx: 960, heightPx: 480, sensorWidthMm: 12, sensorHeightMm: 6, fps: 24 }] });
      await make('lens', lens, { name: 'L', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: '' });
      await make('package', pack, { camera: 'A', bodyId: body, modeId: mode, lensId: lens, adapterId: null, focalMm: 32 });
      await make('set', set, { name: 'S', marks: [] });
      await make('day', day, { name: 'D', date: '2026-11-26' });
      await make('setup', setup, { dayId: day, setId: set, name: 'X', scene: '1', order: 1, levelMarks: [], originMark: null, headingMarks: null });
      return { pack, lens, setup, take: (number) => ({ ...blankTake(setup, '1A', { id: pack, focalMm: 32 }, '2026-11-26T09:00:00.000Z'), take: number }) };
    },
    async stop() {
      await worker?.stop();
      await stream.stop();
      await fileThread.stop();
      listening.closeAllConnections();
      listening.close();
      await boss.stop({ graceful: false, timeout: 1000 });
      await db.sequelize.close();
      rmSync(dir, { recursive: true, force: true });
    },
  };
}

/** What an answer holds, as bytes, for supertest's `parse`. */
export function bytesOf(res: unknown, done: (error: Error | null, body: Buffer) => void): void {
  const parts: Buffer[] = [];
  const stream = res as NodeJS.ReadableStream;
  stream.on('data', (c: Buffer) => parts.push(c));
  stream.on('end', () => done(null, Buffer.concat(parts)));
}
