#!/usr/bin/env node
// Attacks a start of its own on loopback, with a database of its own that is removed afterwards: requests that nobody would send, to every
// address as every role, and files that are broken in every way. Ends with 1 when the server died, answered 500, kept something that it
// should not have, or needed longer or more memory than the bounds below.
//   npm run attack                        2000 requests, 100 files of each kind (about two minutes)
//   npm run attack -- 100000 2000 [SEED]  the long form
import { spawn, spawnSync } from 'node:child_process';
import { Buffer } from 'node:buffer';
import { createHash, randomUUID } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { freePort, startCluster } from './cluster.mjs';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const [REQUESTS = 2000, FILES = 100, SEED = 1] = process.argv.slice(2).map(Number);
const AT_ONCE = 12;
const LONGEST_MS = 30_000;
const MOST_MB = 1500;
/** One computation may take 3 GB in its thread; what is outside of the heap comes on top. */
const MOST_WORKER_MB = 4500;
/** Of the broken files of a kind so many are computed on, each takes seconds; all are read and shown. */
const COMPUTED_SHARE = 0.15;
const MOST_COMPUTED = 60;
const COMPUTED_WAIT_MS = 90 * 60_000;
/** What one request may send; the server's own limit for a body is 1 MB. */
const LONG_TEXT = 20_000;

// mulberry32: a run can be had again by its seed
let state = SEED >>> 0;
const random = () => {
  state = (state + 0x6d2b79f5) >>> 0;
  let t = Math.imul(state ^ (state >>> 15), 1 | state);
  t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
  return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
};
const below = (n) => Math.floor(random() * n);
const oneOf = (list) => list[below(list.length)];

const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-attack-'));
const cluster = await startCluster(path.join(dir, 'postgres'));
const port = await freePort();
const address = `http://127.0.0.1:${port}`;
const env = {
  ...process.env,
  MESURE_DATABASE_URL: cluster.url,
  MESURE_DATA_DIR: dir,
  MESURE_WEB_DIR: path.join(dir, 'none'),
  MESURE_PORT: String(port),
  MESURE_LOG_LEVEL: process.env.MESURE_LOG_LEVEL ?? 'silent',
};
for (const script of ['scripts/build-node.mjs', '.build/setup.mjs']) {
  const r = spawnSync(process.execPath, [path.join(root, script)], { cwd: root, stdio: ['ignore', 'ignore', 'inherit'], env });
  if (r.status !== 0) throw new Error(`${script} failed`);
}
const started = [];
const start = (name) => {
  const child = spawn(process.execPath, [path.join(root, `.build/${name}.mjs`)], { cwd: root, stdio: ['ignore', process.env.MESURE_LOG_LEVEL ? 'inherit' : 'ignore', 'inherit'], env });
  started.push(child);
  return child;
};
const web = start('web');
const worker = start('worker');
const healthy = () =>
  fetch(`${address}/api/health`).then(
    (r) => r.ok,
    () => false,
  );
for (let i = 0; i < 200 && !(await healthy()); i += 1) await new Promise((r) => setTimeout(r, 100));

/** Memory that a process ever held, MB. */
const peakMb = ({ pid }) => {
  try {
    return Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]) / 1024;
  } catch {
    return 0;
  }
};

const notBegun = new Set();
const seen = { requests: 0, byStatus: {}, slowestMs: 0, slowest: '', faults: [], notJson: [] };
/** Sends one, and looks at what came back: never a 500, never an answer that is no answer. */
async function send(who, method, at, { body, headers = {}, what = at } = {}) {
  const t = performance.now();
  try {
    const r = await fetch(`${address}/api${at}`, {
      method,
      headers: { ...(who ? { cookie: who.cookie, 'x-csrf-token': who.csrf } : {}), ...(body === undefined || headers['content-type'] ? {} : { 'content-type': 'application/json' }), ...headers },
      body,
      signal: AbortSignal.timeout(LONGEST_MS),
    });
    const bytes = Buffer.from(await r.arrayBuffer());
    const ms = performance.now() - t;
    seen.requests += 1;
    seen.byStatus[r.status] = (seen.byStatus[r.status] ?? 0) + 1;
    if (ms > seen.slowestMs) Object.assign(seen, { slowestMs: Math.round(ms), slowest: `${method} ${what}` });
    // 503 and 507 are words, not faults
    if (r.status === 500 || r.status === 502) seen.faults.push(`${r.status} ${method} ${at.slice(0, 160)} ${String(body).slice(0, 300)}`);
    if (r.status >= 400 && method !== 'HEAD') {
      try {
        if (typeof JSON.parse(bytes.toString()).code !== 'string') throw new Error('no code');
      } catch {
        if (!at.includes('/uploads')) seen.notJson.push(`${r.status} ${method} ${at.slice(0, 160)}`);
      }
    }
    return { status: r.status, bytes, headers: r.headers };
  } catch (error) {
    seen.faults.push(`no answer: ${method} ${at.slice(0, 160)} ${error?.message ?? error}`);
    return { status: 0, bytes: Buffer.alloc(0), headers: new Headers() };
  }
}

/** So many at a time; what each does is drawn before it waits, so that a seed gives the same again. */
async function inParallel(count, one) {
  let next = 0;
  await Promise.all(
    Array.from({ length: AT_ONCE }, async () => {
      while (next < count && web.exitCode === null) {
        next += 1;
        await one(next);
      }
    }),
  );
}

const NASTY = [
  null,
  true,
  false,
  0,
  -1,
  1.5,
  -0,
  1e308,
  -1e308,
  2 ** 53,
  4294967296,
  '',
  ' ',
  '\u0000',
  'NaN',
  'Infinity',
  '../../../../etc/passwd',
  "'; drop table records; --",
  '${7*7}',
  '<script>1</script>',
  '\ud800',
  '\u202egnp.exe',
  '💥'.repeat(300),
  'x'.repeat(LONG_TEXT),
  '1970-01-01T00:00:00.000Z',
  '9999-12-31T23:59:59.999Z',
  '2026-02-31',
  'not a date',
  [],
  {},
  [[[[[[]]]]]],
  Array.from({ length: 2000 }, () => 0),
  { __proto__: null, constructor: { prototype: { admin: true } } },
  '00000000-0000-0000-0000-000000000000',
  'a'.repeat(64),
  'f'.repeat(64),
];
/** A body with one to three things in it that do not belong there. */
function spoil(body) {
  const out = structuredClone(body ?? {});
  for (let n = 1 + below(3); n > 0; n -= 1) {
    let at = out;
    for (let depth = below(4); depth > 0; depth -= 1) {
      const inner = Object.keys(at).filter((k) => at[k] && typeof at[k] === 'object');
      if (inner.length === 0) break;
      at = at[oneOf(inner)];
    }
    const key = random() < 0.85 && Object.keys(at).length > 0 ? oneOf(Object.keys(at)) : oneOf(['__proto__', 'constructor', 'id', 'x', '', 'sha256', 'deleted']);
    if (random() < 0.15) delete at[key];
    else Object.defineProperty(at, key, { value: structuredClone(oneOf(NASTY)), enumerable: true, configurable: true, writable: true });
  }
  return out;
}
function asText(body) {
  const text = JSON.stringify(body);
  const way = random();
  if (way < 0.9) return text;
  if (way < 0.93) return text.slice(0, below(text.length));
  if (way < 0.96) return `${'['.repeat(3000)}${']'.repeat(3000)}`;
  return `{"__proto__":{"isAdmin":true},${text.slice(1)}`;
}

/** Left out, since they would end the attacker's own sessions, the film, or the people that attack. */
const ENDS_THE_TEST =
  /^(delete \/api\/session|delete \/api\/account|put \/api\/account\/password|post \/api\/account\/forget|post \/api\/productions\/demo|delete \/api\/productions\/\{productionId\}$|.*\/end$|(delete|patch) .*\/people)/;
let failed = false;
try {
  const people = [];
  for (const name of ['owner', 'supervisor', 'wrangler', 'solver', 'guest']) {
    const r = await fetch(`${address}/api/session`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ name, password: 'slack-water-9' }) });
    const { csrfToken, production } = await r.json();
    people.push({ name, cookie: r.headers.getSetCookie()[0].split(';')[0], csrf: csrfToken, production: production.id });
  }
  const owner = people[0];
  const of = `/productions/${owner.production}`;
  const { records } = JSON.parse((await send(owner, 'GET', `${of}/records`)).bytes.toString());
  const before = new Map(records.map((r) => [r.id, r]));
  const routes = Object.entries(JSON.parse(readFileSync(path.join(root, 'docs/openapi.json'), 'utf8')).paths).flatMap(([at, methods]) =>
    Object.keys(methods).map((method) => ({ method, at, key: `${method} ${at}` })),
  );
  const attacked = routes.filter((r) => !ENDS_THE_TEST.test(r.key) && !r.at.endsWith('/events') && !r.at.includes('camera-feed'));

  // first, while the kit is whole: a computation on a plate whose camera the requests have hidden is refused, and tries nothing
  const { results: files, computed } = await brokenFiles(owner, of, records);
  await inParallel(REQUESTS, async () => {
    const route = random() < 0.5 ? attacked.find((r) => r.at.endsWith('/records/{kind}/{id}')) : oneOf(attacked);
    const who = random() < 0.9 ? oneOf(people) : null;
    const record = oneOf(records);
    const fill = {
      productionId: random() < 0.95 ? owner.production : randomUUID(),
      kind: random() < 0.95 ? record.kind : oneOf(['person', 'nothing', '__proto__']),
      id: random() < 0.7 ? record.id : randomUUID(),
      dayId: record.id,
      sha256: 'a'.repeat(64),
      upload: randomUUID(),
    };
    const place = (name) => (random() < 0.05 ? encodeURIComponent((JSON.stringify(oneOf(NASTY)) ?? 'null').slice(0, 200).replace(/[\ud800-\udfff]/g, '')) || 'x' : (fill[name] ?? 'x'));
    const at = `${route.at.replace('/api', '').replace(/\{(\w+)\}/g, (_m, name) => place(name))}${random() < 0.2 ? `?${oneOf(['after', 'before', 'width', 'n', 'production', 'epoch'])}=${encodeURIComponent(String(below(3) ? below(1e9) : 'x'.repeat(500)))}` : ''}`;
    const write = {
      mutationId: random() < 0.9 ? randomUUID() : 'x',
      baseVersion: random() < 0.8 ? record.version : below(1e6),
      deleted: random() < 0.1,
      body: random() < 0.3 ? record.body : spoil(record.body),
    };
    const body = ['get', 'head'].includes(route.method) ? undefined : asText(random() < 0.85 ? write : spoil(write));
    await send(who, route.method.toUpperCase(), at, {
      body,
      what: route.key,
      headers: random() < 0.03 ? { 'content-type': oneOf(['text/plain', 'application/xml', 'multipart/form-data', 'application/json; charset=utf-99']) } : {},
    });
  });
  // a guest and a stranger changed nothing, and what is there can still be read by everybody
  const after = JSON.parse((await send(owner, 'GET', `${of}/records`)).bytes.toString());
  const vanished = [...before.keys()].filter((id) => !after.records.some((r) => r.id === id));
  const byGuests = after.records.filter((r) => r.kind !== 'person' && r.updatedBy === 'guest').map((r) => `${r.kind} ${r.id}`);

  const computations = await settled(owner, of, computed);
  const alive = web.exitCode === null && (await healthy());
  const mb = Math.round(peakMb(web));
  const workerMb = Math.round(peakMb(worker));
  const problems = [
    ...(alive ? [] : ['the web process is gone']),
    ...(worker.exitCode === null ? [] : ['the worker is gone']),
    ...(workerMb > MOST_WORKER_MB ? [`the worker held ${workerMb} MB`] : []),
    ...(computations.open > 0 ? [`${computations.open} computations did not end`] : []),
    ...(computations.tookWorker > 0 ? [`${computations.tookWorker} computations took their worker with them`] : []),
    ...(computations.wordless > 0 ? [`${computations.wordless} failed without saying why`] : []),
    ...(mb > MOST_MB ? [`the web process held ${mb} MB`] : []),
    ...(vanished.length > 0 ? [`${vanished.length} records vanished`] : []),
    ...(byGuests.length > 0 ? [`a guest changed ${byGuests.join(', ')}`] : []),
    ...(seen.faults.length > 0 ? [`${seen.faults.length} faults`] : []),
    ...(seen.notJson.length > 0 ? [`${seen.notJson.length} refusals without a code`] : []),
  ];
  failed = problems.length > 0;
  process.stdout.write(
    `${JSON.stringify({ seed: SEED, ...seen, faults: seen.faults.slice(0, 10), notJson: seen.notJson.slice(0, 10), peakMb: mb, workerPeakMb: workerMb, routes: attacked.length, files, computations, problems }, null, 2)}\n`,
  );
} finally {
  for (const child of started) child.kill('SIGTERM');
  await Promise.all(started.map((c) => (c.exitCode === null ? new Promise((r) => c.once('exit', r)) : null)));
  cluster.stop();
  rmSync(dir, { recursive: true, force: true });
  if (cluster.dir !== path.join(dir, 'postgres')) rmSync(cluster.dir, { recursive: true, force: true });
}
process.exit(failed ? 1 : 0);

/** A record that names a file, as a copy of one that there is, and the computation that reads the file. */
function recordFor(kind, file, records) {
  const [ending, use] = kind.split(' ');
  const like = (k, has = () => true) => records.find((r) => r.kind === k && !r.deleted && has(r.body));
  if (use === 'plate') return { kind: 'plate', analysis: 'grid', body: { ...like('plate').body, picture: file } };
  if (use === 'tracks') return { kind: 'take', analysis: 'solve', body: { ...like('take', (b) => b.tracks).body, take: 1 + below(900), tracks: file } };
  if (ending === 'wav') {
    const take = like('take');
    return { kind: 'sync', analysis: 'sync', body: { takeId: take.id, packageId: take.body.packageId, main: file, witness: file, clap: null } };
  }
  return use === 'clip' ? { kind: 'footage', analysis: 'tracks', body: { ...like('footage').body, file, widthPx: 160, heightPx: 90, frames: 24, masks: [], marks: [] } } : null;
}

/** Has the server compute on a file that it took; how many were begun is counted. */
async function compute(owner, of, kind, file, records) {
  const made = recordFor(kind, file, records);
  if (!made) return false;
  const id = randomUUID();
  const write = { mutationId: randomUUID(), baseVersion: 0, deleted: false, body: made.body };
  const kept = await send(owner, 'PUT', `${of}/records/${made.kind}/${id}`, { body: JSON.stringify(write), what: `a ${made.kind} of a broken ${kind}` });
  if (kept.status !== 201) {
    seen.faults.push(`a ${made.kind} was not taken: ${kept.status} ${kept.bytes.toString().slice(0, 200)}`);
    return false;
  }
  const asked = await send(owner, 'POST', `${of}/analyses`, { body: JSON.stringify({ id: randomUUID(), kind: made.analysis, subjectId: id, options: {} }), what: `a computation on a broken ${kind}` });
  // refused with words is an answer; none begun of a whole kind would be no attack
  if (asked.status >= 300) notBegun.add(`${kind}: ${asked.status} ${JSON.parse(asked.bytes.toString()).detail}`.replace(/\d{3,}/g, 'n').slice(0, 140));
  return asked.status < 300;
}

/** Waits until no computation is open; how they ended. */
async function settled(owner, of, begun) {
  const from = performance.now();
  for (;;) {
    const { analyses } = JSON.parse((await send(owner, 'GET', `${of}/analyses`)).bytes.toString());
    const open = analyses.filter((a) => a.status === 'queued' || a.status === 'running').length;
    if (open === 0 || performance.now() - from > COMPUTED_WAIT_MS || worker.exitCode !== null) {
      const failedOnes = analyses.filter((a) => a.status === 'failed');
      return {
        begun,
        open,
        failed: failedOnes.length,
        done: analyses.filter((a) => a.status === 'done').length,
        tookWorker: failedOnes.filter((a) => /ended the server's worker/.test(a.error)).length,
        wordless: failedOnes.filter((a) => !a.error || /undefined|\[object|is not a function|Cannot read/.test(a.error)).length,
        words: [...new Set(failedOnes.map((a) => String(a.error).replace(/\d+/g, 'n').slice(0, 90)))].slice(0, 40),
        notBegun: [...notBegun].slice(0, 20),
        seconds: Math.round((performance.now() - from) / 1000),
      };
    }
    await new Promise((r) => setTimeout(r, 1000));
  }
}

/** Good files of each kind, made here, and each of them broken: what is taken must be readable, what is refused says why. */
async function brokenFiles(owner, of, records) {
  let computed = 0;
  const made = (name, args) => {
    const file = path.join(dir, name);
    const r = spawnSync('ffmpeg', ['-v', 'error', '-y', ...args, file]);
    if (r.status !== 0) throw new Error(`${name}: ${r.stderr}`);
    return readFileSync(file);
  };
  const test = (size) => ['-f', 'lavfi', '-i', `testsrc=size=${size}:rate=24`];
  const kinds = {
    'png plate': made('a.png', [...test('320x180'), '-frames:v', '1']),
    'jpg plate': made('a.jpg', [...test('320x180'), '-frames:v', '1']),
    'tif plate': made('a.tif', [...test('320x180'), '-frames:v', '1', '-pix_fmt', 'rgb48le']),
    'exr plate': made('a.exr', [...test('320x180'), '-frames:v', '1', '-pix_fmt', 'gbrpf32le']),
    'mov clip': made('a.mov', [...test('160x90'), '-t', '1', '-c:v', 'mjpeg']),
    'mp4 clip': made('a.mp4', [...test('160x90'), '-t', '1', '-pix_fmt', 'yuv420p']),
    'wav clip': made('a.wav', ['-f', 'lavfi', '-i', 'sine=frequency=440:duration=1']),
    'csv tracks': readFileSync(
      path.join(
        dir,
        'demo-files',
        readdirSync(path.join(dir, 'demo-files')).find((f) => f.endsWith('.csv')),
      ),
    ),
    'zip kit': (await send(owner, 'GET', `${of}/kit.zip`)).bytes,
    'zip handover': (await send(owner, 'POST', `${of}/days/${records.find((r) => r.kind === 'day').id}/handovers`, { body: JSON.stringify({ id: randomUUID(), to: 'Lisk', supplementTo: null }) }))
      .bytes,
  };
  const results = {};
  for (const [kind, good] of Object.entries(kinds)) {
    const [ending, use] = kind.split(' ');
    const told = { tried: 0, taken: 0, refused: 0, shown: 0, computed: 0, slowestMs: 0 };
    results[kind] = told;
    const give = async (bytes, name) => {
      const t = performance.now();
      const r = await send(owner, 'POST', `${of}/files/uploads`, {
        body: bytes,
        what: `upload of ${kind}`,
        headers: {
          'content-type': 'application/offset+octet-stream',
          'tus-resumable': '1.0.0',
          'upload-length': String(bytes.length),
          'upload-metadata': Object.entries({ name, use })
            .map(([k, v]) => `${k} ${Buffer.from(v).toString('base64')}`)
            .join(','),
        },
      });
      told.tried += 1;
      told.slowestMs = Math.max(told.slowestMs, Math.round(performance.now() - t));
      if (r.status >= 400 || r.status === 0) {
        told.refused += 1;
        return;
      }
      told.taken += 1;
      // what was taken is shown: the second place that decodes it
      const sha256 = createHash('sha256').update(bytes).digest('hex');
      const at = use === 'plate' ? `${of}/files/${sha256}/preview?width=640` : use === 'clip' && ending !== 'wav' ? `${of}/files/${sha256}/frame?n=${below(40)}` : null;
      // what was taken of a day comes in, over what is there
      if (use === 'handover')
        for (const verb of ['look', 'bring']) await send(owner, 'POST', `${of}/handover-in/${verb}`, { body: JSON.stringify({ sha256, replace: true }), what: `${verb} of ${kind}` });
      if (at && (await send(owner, 'GET', at, { what: `showing ${kind}` })).status === 200) told.shown += 1;
      if (told.computed < Math.min(MOST_COMPUTED, Math.ceil(COMPUTED_SHARE * FILES)) && (await compute(owner, of, kind, { sha256, name }, records))) {
        told.computed += 1;
        computed += 1;
      }
    };
    await give(good, `good.${ending}`);
    if (told.taken !== 1) seen.faults.push(`a good ${kind} was refused`);
    await inParallel(FILES, (n) => give(broken(good), `broken ${n}.${ending}`));
  }
  return { results, computed };
}

/** Cut, with bytes turned, with numbers made huge, with a piece twice, or with another's beginning. */
function broken(good) {
  const bytes = Buffer.from(good);
  const way = below(6);
  if (way === 0) return bytes.subarray(0, Math.max(1, below(bytes.length)));
  if (way === 1) for (let n = 1 + below(20); n > 0; n -= 1) bytes[below(bytes.length)] = below(256);
  // most of what a reader believes stands near the beginning
  if (way === 2) for (let n = 1 + below(4); n > 0; n -= 1) bytes.writeUInt32LE(oneOf([0, 1, 0x7fffffff, 0xffffffff, 0x80000000, 65536]), below(Math.max(1, Math.min(512, bytes.length - 4))));
  if (way === 3) for (let n = 1 + below(4); n > 0; n -= 1) bytes.writeUInt32BE(oneOf([0, 1, 0x7fffffff, 0xffffffff, 0x80000000, 16384]), below(Math.max(1, Math.min(512, bytes.length - 4))));
  if (way === 4) {
    const from = below(bytes.length);
    const piece = bytes.subarray(from, from + below(2000));
    return Buffer.concat([bytes.subarray(0, from), piece, piece, bytes.subarray(from)]);
  }
  if (way === 5) Buffer.from(oneOf(['\x89PNG\r\n\x1a\n', 'II*\0', 'PK\x03\x04', 'RIFF\xff\xff\xff\x7fWAVE', 'v/1\x01', '\xff\xd8\xff\xe0']), 'latin1').copy(bytes, 0);
  return bytes;
}
