#!/usr/bin/env node
// Measures the server and the phone under a day's load, on loopback, with a database of its own that is removed afterwards.
//   npm run load [-- phones N] 50 phones log one entry a second for half a minute, each listening to the others
//   npm run load -- day        a day of 400 takes, opened on a phone four times as slow as this machine
//   npm run load -- film       40 days, 600 setups, 5000 takes; opened on such a phone, and a take logged on it
//   npm run load -- handover   a day of 400 takes, each with a test solve, and 2,000 pictures leaves as one zip
// Prints what was measured as JSON; ends with 1 when something was lost.
import { spawn, spawnSync } from 'node:child_process';
import { Buffer } from 'node:buffer';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { freePort, startCluster } from './cluster.mjs';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const what = process.argv[2] ?? 'phones';
const PHONES = what === 'phones' ? Number(process.argv[3] ?? 50) : 0;
const SECONDS = 30;
/** A process that has just begun compiles what it runs; so long it is not measured. */
const RUN_IN_S = 5;
const TAKES = Number(process.argv[3] ?? 400);
const PICTURES = 2000;
/** Of a picture as a phone takes it with its quality turned down; what does not pack, as pictures do not. */
const PICTURE_BYTES = 400_000;
const SOLVED_FRAMES = 120;
const SOLVED_POINTS = 150;
const SLOWER = 4;
const OPENINGS = 9;
/** Some hundred milliseconds of a phone. */
const YARDSTICK_STEPS = 3_000_000;

const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-load-'));
const cluster = await startCluster(path.join(dir, 'postgres'));
const port = await freePort();
const address = `http://127.0.0.1:${port}`;
const env = { ...process.env, MESURE_DATABASE_URL: cluster.url, MESURE_DATA_DIR: dir, MESURE_WEB_DIR: path.join(root, '.build/web'), MESURE_PORT: String(port), MESURE_LOG_LEVEL: 'error' };
for (const script of ['scripts/build-node.mjs', ...(what === 'day' || what === 'film' ? ['scripts/build-web.mjs'] : []), '.build/setup.mjs']) {
  const r = spawnSync(process.execPath, [path.join(root, script)], { cwd: root, stdio: ['ignore', 'ignore', 'inherit'], env });
  if (r.status !== 0) throw new Error(`${script} failed`);
}
const web = spawn(process.execPath, [...(process.env.PROF ? ['--cpu-prof', `--cpu-prof-dir=${process.env.PROF}`] : []), path.join(root, '.build/web.mjs')], {
  cwd: root,
  stdio: ['ignore', 'ignore', 'inherit'],
  env,
});
for (
  let i = 0;
  i < 150 &&
  !(await fetch(`${address}/api/health`).then(
    (r) => r.ok,
    () => false,
  ));
  i += 1
)
  await new Promise((r) => setTimeout(r, 100));

let failed = false;
try {
  const signedIn = await fetch(`${address}/api/session`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ name: 'wrangler', password: 'slack-water-9' }) });
  const cookie = signedIn.headers.getSetCookie()[0].split(';')[0];
  const { csrfToken, production } = await signedIn.json();
  const records = `${address}/api/productions/${production.id}/records`;
  const all = async () => (await (await fetch(records, { headers: { cookie } })).json()).records;
  const base = (await all()).find((r) => r.kind === 'take').body;
  const put = (id, baseVersion, body) =>
    fetch(`${records}/take/${id}`, {
      method: 'PUT',
      headers: { cookie, 'x-csrf-token': csrfToken, 'content-type': 'application/json' },
      body: JSON.stringify({ mutationId: randomUUID(), baseVersion, deleted: false, body }),
    });
  const make = async (kind, id, body) => {
    const r = await fetch(`${records}/${kind}/${id}`, {
      method: 'PUT',
      headers: { cookie, 'x-csrf-token': csrfToken, 'content-type': 'application/json' },
      body: JSON.stringify({ mutationId: randomUUID(), baseVersion: 0, deleted: false, body }),
    });
    if (!r.ok) throw new Error(`a ${kind} was not taken: ${r.status}`);
    await r.arrayBuffer();
  };
  const report =
    what === 'day'
      ? await openDay({ base, put })
      : what === 'film'
        ? await openFilm({ base, make, all })
        : what === 'handover'
          ? await handOver({ base, all, cookie, csrfToken, production })
          : await phones({ base, put, all, records, cookie });
  failed = report.lost > 0;
  process.stdout.write(`${JSON.stringify(report, null, 2)}\n`);
} finally {
  web.kill('SIGTERM');
  await new Promise((r) => web.once('exit', r));
  cluster.stop();
  rmSync(dir, { recursive: true, force: true });
  if (cluster.dir !== path.join(dir, 'postgres')) rmSync(cluster.dir, { recursive: true, force: true });
}
process.exit(failed ? 1 : 0);

/** Each phone makes a take and then changes a field of it every second, and hears what the others do. */
async function phones({ base, put, all, records, cookie }) {
  const tookMs = [];
  const coldMs = [];
  const expected = new Map();
  let heard = 0;
  let refused = 0;
  const ears = Array.from({ length: PHONES }, () => new AbortController());
  // as the application does: it has read the day, and listens from there on
  const { cursor } = await (await fetch(records, { headers: { cookie } })).json();
  ears.forEach(async (ear) => {
    const stream = await fetch(`${records}/events?after=${cursor}`, { headers: { cookie }, signal: ear.signal }).catch(() => null);
    try {
      for await (const part of stream.body) heard += Buffer.from(part).toString().split('event: records').length - 1;
    } catch {
      // hung up at the end
    }
  });
  const began = Date.now();
  const cpu0 = cpuOf(web.pid);
  const db0 = databaseCpu();
  await Promise.all(
    Array.from({ length: PHONES }, async (_, phone) => {
      const id = randomUUID();
      let body = { ...base, slate: `L${phone}`, take: 1, notes: '', tracks: null };
      await new Promise((r) => setTimeout(r, (1000 * phone) / PHONES));
      for (let n = 0; n < RUN_IN_S + SECONDS; n += 1) {
        const due = began + 1000 * n + (1000 * phone) / PHONES;
        await new Promise((r) => setTimeout(r, Math.max(0, due - Date.now())));
        body = { ...body, notes: `entry ${n}`, focusM: 2 + n / 100 };
        const t = performance.now();
        const r = await put(id, n, body);
        (n < RUN_IN_S ? coldMs : tookMs).push(performance.now() - t);
        if (r.ok) expected.set(id, { version: n + 1, notes: body.notes, focusM: body.focusM });
        else refused += 1;
        await r.arrayBuffer();
      }
    }),
  );
  await new Promise((r) => setTimeout(r, 500));
  ears.forEach((ear) => ear.abort());
  const stored = new Map((await all()).map((r) => [r.id, r]));
  const lost = [...expected].filter(([id, e]) => stored.get(id)?.version !== e.version || stored.get(id).body.notes !== e.notes || stored.get(id).body.focusM !== e.focusM).length + refused;
  tookMs.sort((a, b) => a - b);
  const at = (share) => Number(tookMs[Math.min(tookMs.length - 1, Math.floor(share * tookMs.length))].toFixed(1));
  return {
    phones: PHONES,
    webCpuShare: cpuShare(cpu0, cpuOf(web.pid), began),
    databaseCpuShare: cpuShare(db0, databaseCpu(), began),
    entries: tookMs.length,
    secondsWall: (Date.now() - began) / 1000,
    p50Ms: at(0.5),
    p95Ms: at(0.95),
    p99Ms: at(0.99),
    maxMs: at(1),
    runInMaxMs: Number(Math.max(...coldMs).toFixed(1)),
    eventsHeard: heard,
    lost,
  };
}

/** CPU time of a process so far, s (Linux: 100 ticks a second). */
function cpuOf(pid) {
  try {
    const f = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ');
    return (Number(f[11]) + Number(f[12])) / 100;
  } catch {
    return 0;
  }
}
/** Of the cluster's processes that still run. */
function databaseCpu() {
  const pids = spawnSync('pgrep', ['postgres'], { encoding: 'utf8' }).stdout.split('\n').filter(Boolean);
  return pids.reduce((sum, pid) => sum + cpuOf(pid), 0);
}
function cpuShare(from, to, began) {
  return Number(((1000 * (to - from)) / (Date.now() - began)).toFixed(2));
}

/** A whole film: from the reload of a page that a device has kept to today's board, and from the tap on "Log take" to the take. */
async function openFilm({ base, make, all }) {
  const [DAYS, SETUPS, FILM_TAKES] = [40, 600, 5000];
  const setup0 = (await all()).find((r) => r.kind === 'setup');
  const date = (n) => new Date(Date.now() - 86_400_000 * (DAYS - 1 - n)).toISOString().slice(0, 10);
  const days = Array.from({ length: DAYS }, () => randomUUID());
  const setups = Array.from({ length: SETUPS }, () => randomUUID());
  for (const [n, id] of days.entries()) await make('day', id, { name: `Day ${100 + n}`, date: date(n), unit: 'main' });
  for (const [n, id] of setups.entries())
    await make('setup', id, { ...setup0.body, dayId: days[Math.floor((n * DAYS) / SETUPS)], name: `Setup ${n}`, scene: String(200 + n), slate: null, order: 1 + (n % 15) });
  for (let n = 0; n < FILM_TAKES; n += 1)
    await make('take', randomUUID(), {
      ...base,
      setupId: setups[Math.floor((n * SETUPS) / FILM_TAKES)],
      slate: String(200 + Math.floor((n * SETUPS) / FILM_TAKES)),
      take: 1 + (n % 9),
      loggedAt: new Date(Date.parse(`${date(0)}T08:00:00Z`) + 600_000 * n).toISOString(),
      tracks: null,
    });
  return onPhone(async ({ page, seen, unloadedAt, median }) => {
    const boardMs = [];
    const logMs = [];
    for (let i = 0; i < OPENINGS; i += 1) {
      await page.goto(`${address}/floor`);
      boardMs.push(Math.round((await seen('running-setup')) - (await unloadedAt())));
      await page.waitForTimeout(2500);
      // from the tap until the take's own form stands there
      const began = await page.evaluate(() => {
        const t = performance.now();
        document.querySelector('[data-testid="log-next"]').click();
        return t;
      });
      logMs.push(Math.round((await seen('take-done')) - began));
      await page.waitForTimeout(1500);
    }
    return { days: DAYS, setups: SETUPS, takes: FILM_TAKES, slower: SLOWER, boardMs, logMs, boardMedianMs: median(boardMs), logMedianMs: median(logMs), lost: 0 };
  });
}

/** From the reload of a page that a device has kept to the board with its numbers, and of the setup with its list. */
async function openDay({ base, put }) {
  for (let n = 0; n < TAKES; n += 1) {
    const r = await put(randomUUID(), 0, { ...base, slate: `${1 + (n % 40)}A`, take: 1 + Math.floor(n / 40), loggedAt: new Date(Date.parse(base.loggedAt) + 60_000 * n).toISOString(), tracks: null });
    if (!r.ok) throw new Error(`a take was not taken: ${r.status}`);
    await r.arrayBuffer();
  }
  return onPhone(async ({ page, seen, unloadedAt, median }) => {
    const boardMs = [];
    const setupMs = [];
    for (let i = 0; i < OPENINGS; i += 1) {
      await page.goto(`${address}/floor`);
      boardMs.push(Math.round((await seen('running-setup')) - (await unloadedAt())));
      await page.waitForTimeout(1500);
      const began = await page.evaluate(() => {
        const t = performance.now();
        document.querySelector('[data-testid^="setup-"]').click();
        return t;
      });
      setupMs.push(Math.round((await seen('log-take')) - began));
      await page.waitForTimeout(500);
    }
    return { takes: TAKES, slower: SLOWER, boardMs, setupMs, boardMedianMs: median(boardMs), setupMedianMs: median(setupMs), lost: 0 };
  });
}

/** From the tap on "Hand over" to the last byte, and the most memory that the web process ever held. */
async function handOver({ base, all, cookie, csrfToken, production }) {
  const { default: pg } = await import('pg');
  const { createHash, randomBytes } = await import('node:crypto');
  const { mkdirSync, writeFileSync } = await import('node:fs');
  const db = new pg.Client({ connectionString: cluster.url });
  await db.connect();
  const query = (sql, values) => db.query(sql, values);
  const setup = (await all()).find((r) => r.kind === 'setup' && r.id === base.setupId);
  const outcome = (await query("select outcome from analyses where kind = 'solve' and status = 'done' and (outcome->'solve'->>'focalMm') is not null limit 1")).rows[0].outcome;
  // of a shot as long as most: frames and points of the demo's, as often as it takes
  const long = (list, n) => Array.from({ length: n }, (_, i) => list[i % list.length]);
  outcome.solve.frames = long(outcome.solve.frames, SOLVED_FRAMES).map((f, i) => ({ ...f, frame: i + 1 }));
  outcome.solve.points = long(outcome.solve.points, SOLVED_POINTS).map((p, i) => ({ ...p, track: `T${i}` }));
  const record = async (kind, body) => {
    const id = randomUUID();
    const values = [production.id, id, kind, JSON.stringify(body)];
    await query("insert into records (production_id, id, kind, version, deleted, body, updated_at, updated_by) values ($1, $2, $3, 1, false, $4, now(), 'wrangler')", values);
    return id;
  };
  const store = path.join(dir, 'files');
  const picture = async (n) => {
    const bytes = randomBytes(PICTURE_BYTES);
    const sha256 = createHash('sha256').update(bytes).digest('hex');
    mkdirSync(path.join(store, sha256.slice(0, 2)), { recursive: true });
    writeFileSync(path.join(store, sha256.slice(0, 2), sha256), bytes);
    const name = `P_${n}.jpg`;
    await query("insert into files (production_id, sha256, name, mime, size_bytes, width_px, height_px) values ($1, $2, $3, 'image/jpeg', $4, 4096, 2160)", [
      production.id,
      sha256,
      name,
      PICTURE_BYTES,
    ]);
    return { sha256, name };
  };
  const each = Math.ceil(PICTURES / TAKES);
  for (let n = 0; n < TAKES; n += 1) {
    const pictures = [];
    for (let k = 0; k < each; k += 1) pictures.push(await picture(n * each + k));
    const id = await record('take', { ...base, slate: `${1 + (n % 40)}A`, take: 1 + Math.floor(n / 40), pictures });
    await query(
      "insert into analyses (id, production_id, kind, subject_id, status, progress, stage, stop_requested, input, outcome, created_at, finished_at, attempts, priority) values ($1, $2, 'solve', $3, 'done', 1, 'done', false, '{}', $4, now(), now(), 1, 0)",
      [randomUUID(), production.id, id, JSON.stringify(outcome)],
    );
  }
  await db.end();
  const peakMb = () => Math.round(Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${web.pid}/status`, 'utf8'))[1]) / 1024);
  const headers = { cookie, 'x-csrf-token': csrfToken, 'content-type': 'application/json' };
  const days = `${address}/api/productions/${production.id}/days/${setup.body.dayId}`;
  const beforeMb = peakMb();
  let from = performance.now();
  const plan = await (await fetch(days, { headers })).json();
  const planMs = Math.round(performance.now() - from);
  from = performance.now();
  const answer = await fetch(`${days}/handovers`, { method: 'POST', headers, body: JSON.stringify({ id: randomUUID(), to: 'Lisk', supplementTo: null }) });
  if (!answer.ok) throw new Error(`the day was not handed over: ${answer.status} ${await answer.text()}`);
  let firstByteMs = null;
  let bytes = 0;
  for await (const piece of answer.body) {
    firstByteMs ??= Math.round(performance.now() - from);
    bytes += piece.length;
  }
  const seconds = Math.round((performance.now() - from) / 100) / 10;
  // the last thing that is kept of it is that it left
  const left = (await all()).some((r) => r.kind === 'handover');
  return { takes: TAKES, pictures: PICTURES, files: plan.files.length, zipMb: Math.round(bytes / 1e6), planMs, firstByteMs, seconds, beforeMb, peakMb: peakMb(), lost: left ? 0 : 1 };
}

/** A phone four times as slow as this machine, signed in, with the day and the page's shell on it. */
async function onPhone(measure) {
  const { chromium } = await import('@playwright/test');
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--headless', '--no-sandbox', '--disable-gpu'] });
  try {
    const context = await browser.newContext({ viewport: { width: 390, height: 844 } });
    const page = await context.newPage();
    await page.goto(`${address}/floor`);
    await page.getByTestId('sign-in-name').fill('wrangler');
    await page.getByTestId('sign-in-password').fill('slack-water-9');
    await page.getByTestId('sign-in').click();
    await page.getByTestId('running-setup').waitFor();
    await page.evaluate(() => navigator.serviceWorker.ready.then(() => undefined));
    await page.waitForTimeout(3000);
    const phone = await context.newCDPSession(page);
    await phone.send('Emulation.setCPUThrottlingRate', { rate: SLOWER });
    const seen = (testId) =>
      page.evaluate(
        (id) =>
          new Promise((done) => {
            // the frame in which it stands has been drawn when the message comes
            const drawn = new MessageChannel();
            drawn.port1.onmessage = () => done(performance.now());
            const look = () => (document.querySelector(`[data-testid="${id}"]`) ? drawn.port2.postMessage(0) : requestAnimationFrame(look));
            look();
          }),
        testId,
      );
    // how fast this phone is at this moment: machines are shared, and a figure without it cannot be compared with another run's
    const yardstickMs = async () =>
      Math.round(
        await page.evaluate((steps) => {
          const from = performance.now();
          let x = 1;
          for (let i = 0; i < steps; i += 1) x = (x * 48271) % 2147483647;
          return x > 0 ? performance.now() - from : 0;
        }, YARDSTICK_STEPS),
      );
    // clearing away the page that stood there before is not part of opening this one
    const unloadedAt = () => page.evaluate(() => performance.getEntriesByType('navigation')[0].unloadEventEnd);
    const median = (list) => [...list].sort((a, b) => a - b)[list.length >> 1];
    const before = await yardstickMs();
    const report = await measure({ page, seen, unloadedAt, median });
    return { ...report, yardstickMs: [before, await yardstickMs()] };
  } finally {
    await browser.close();
  }
}
