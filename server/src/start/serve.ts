import { spawnSync } from 'node:child_process';
import { existsSync, rmSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import https from 'node:https';
import { isIP } from 'node:net';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import QRCode from 'qrcode';
import { freePort, startCluster, type Cluster } from '../../../scripts/cluster.mjs';
import { isLoopback } from '../config';
import { connect } from '../db/connect';
import { migrate } from '../db/migrate';
import { openQueue } from '../jobs/queue';
import { makeLink } from '../people/links';
import { isEmpty } from '../people/productions';
import { machineNames, ownCertificate, type OwnCertificate } from './certificates';
import { AlreadyRunning, oneStart } from './one-start';
import { OptionError, readOptions, SERVE_HELP, type ServeOptions } from './options';
import { superviseCluster, superviseProcesses } from './supervise';

const built = path.dirname(fileURLToPath(import.meta.url));
const root = path.resolve(built, '..');
const dataDir = path.resolve(process.env.MESURE_DATA_DIR ?? path.join(root, '.data'));
const say = (text: string) => process.stderr.write(`${text}\n`);
const began = Date.now();

if (process.argv.slice(2).some((a) => a === '--help' || a === '-h')) {
  process.stdout.write(SERVE_HELP);
  process.exit(0);
}
let options: ServeOptions;
try {
  options = readOptions(process.argv.slice(2), process.env);
} catch (error) {
  if (!(error instanceof OptionError)) throw error;
  say(`bin/serve: ${error.message}`);
  process.exit(2);
}

let cluster: Cluster | null = null;
let lock: ReturnType<typeof oneStart> | null = null;
let watch: { stop(): void } | null = null;
let processes: { stop(): Promise<void> } | null = null;
let ending = false;
async function end(code: number): Promise<void> {
  if (ending) return;
  ending = true;
  watch?.stop();
  await processes?.stop();
  cluster?.stop();
  lock?.release();
  process.exit(code);
}
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => void end(0));

try {
  await start();
} catch (error) {
  if (error instanceof AlreadyRunning) {
    say(`${error.message} It goes on; this start ends.`);
    process.exit(1);
  }
  say(`Mesure could not start: ${error instanceof Error ? error.message : error}. Data entered before is untouched.`);
  await end(1);
}

async function start(): Promise<void> {
  lock = oneStart(dataDir);
  if (options.fresh) await throwAway();
  const port = options.port || (await freePort());
  const external = process.env.MESURE_DATABASE_URL;
  cluster = external ? null : await startCluster(path.join(dataDir, 'postgres'), { connections: 60 + 25 * options.workers });
  const databaseUrl = external ?? cluster!.url;
  if (cluster) {
    watch = superviseCluster(cluster, say);
    // for bin/admin, which works on the running database
    writeFileSync(path.join(dataDir, 'database.json'), JSON.stringify({ url: databaseUrl }), { mode: 0o600 });
  }

  const own = options.tls === 'own' ? await ownCertificate(path.join(dataDir, 'tls'), [...machineNames(), ...options.names]) : null;
  const trustPort = own ? await trustPortFor(port) : null;
  const scheme = options.tls === 'off' ? 'http' : 'https';
  const addresses = [
    ...options.names.map((name) => (options.behindProxy ? `https://${written(name)}` : `${scheme}://${written(name)}:${port}`)),
    ...reachableAt(own)
      .filter((name) => !options.names.includes(name))
      .map((name) => `${scheme}://${written(name)}:${port}`),
  ];
  const trustAddress = trustPort ? addresses[0].replace(/^https/, 'http').replace(/:\d+$/, `:${trustPort}`) : null;
  const env: NodeJS.ProcessEnv = {
    ...process.env,
    MESURE_DATABASE_URL: databaseUrl,
    MESURE_DATA_DIR: dataDir,
    MESURE_WEB_DIR: path.join(root, '.build/web'),
    MESURE_HOST: options.host,
    MESURE_PORT: String(port),
    MESURE_BEHIND_PROXY: options.behindProxy ? '1' : '',
    MESURE_TLS_CERT: own?.certFile ?? options.tlsCert ?? '',
    MESURE_TLS_KEY: own?.keyFile ?? options.tlsKey ?? '',
    MESURE_AUTHORITY: own?.authorityFile ?? '',
    MESURE_ADDRESSES: addresses.join(' '),
    MESURE_TRUST_ADDRESS: trustAddress ?? '',
    MESURE_LOG_LEVEL: process.env.MESURE_LOG_LEVEL ?? (options.demo ? 'warn' : 'info'),
  };

  const db = connect(databaseUrl);
  const applied = await migrate(db.sequelize);
  if (applied.length > 0) say(`Database prepared (${applied.join(', ')}).`);
  // made here once, before web and workers start side by side
  const queue = await openQueue(databaseUrl);
  await queue.stop({ graceful: false });
  if (options.demo) {
    const loaded = spawnSync(process.execPath, ['--enable-source-maps', path.join(built, 'setup.mjs')], { stdio: ['ignore', 'inherit', 'inherit'], env });
    if (loaded.status !== 0) throw new Error('the demo could not be loaded');
  }
  const begin = !options.demo && (await isEmpty(db)) ? await makeLink(db, { what: 'begin', madeBy: 'bin/serve' }) : null;
  await db.sequelize.close();

  processes = superviseProcesses(
    [{ name: 'web', file: path.join(built, 'web.mjs'), env }, ...Array.from({ length: options.workers }, () => ({ name: 'worker', file: path.join(built, 'worker.mjs'), env }))],
    say,
  );
  await answers(`${scheme}://${isLoopback(options.host) ? options.host : '127.0.0.1'}:${port}/api/health`);
  lock.at(addresses[0]);
  await tell(addresses, trustAddress, begin);
}

function written(host: string): string {
  return isIP(host) === 6 ? `[${host}]` : host;
}

/** Where phones find this machine: its own names when it is open to the network, and the one host else. */
function reachableAt(own: OwnCertificate | null): string[] {
  if (isLoopback(options.host)) return [options.host];
  if (options.host !== '0.0.0.0' && options.host !== '::') return [options.host];
  const names = (own?.names ?? machineNames()).filter((n) => n !== 'localhost' && !isLoopback(n));
  const numbers = names.filter((n) => isIP(n) === 4);
  return [...numbers, ...names.filter((n) => !isIP(n))];
}

/** Beside the port that was asked for, so that a firewall's rule can be written down; a free one else. */
function trustPortFor(port: number): Promise<number> {
  return options.port ? Promise.resolve(port + 1) : freePort();
}

/** Waits for the web process; its own certificate is not checked here, since this asks itself. */
async function answers(url: string): Promise<void> {
  const get = url.startsWith('https') ? https.get : http.get;
  for (let i = 0; ; i += 1) {
    const ok = await new Promise<boolean>((resolve) => {
      const req = get(url, { rejectUnauthorized: false } as https.RequestOptions, (res) => {
        res.resume();
        resolve(res.statusCode === 200);
      });
      req.on('error', () => resolve(false));
    });
    if (ok) return;
    if (i > 300) throw new Error('the web process did not answer');
    await new Promise((r) => setTimeout(r, 100));
  }
}

async function tell(addresses: string[], trustAddress: string | null, begin: { token: string; expiresAt: Date } | null): Promise<void> {
  const out = (text = '') => process.stdout.write(`${text}\n`);
  out(`\nMesure is ready (${((Date.now() - began) / 1000).toFixed(1)} s).\n`);
  addresses.forEach((a, i) => out(`  ${i === 0 ? 'Address ' : '        '}   ${a}`));
  if (options.demo) {
    out('  Sign in    owner, supervisor, wrangler, solver or guest');
    out('  Password   slack-water-9');
    out(`  To try     grid pictures and tracks in ${path.join(dataDir, 'demo-files')}`);
  }
  if (trustAddress) out(`  Each phone, once: ${trustAddress}  explains how it learns to trust this machine`);
  if (begin) out(`\n  Begin here (once, until ${begin.expiresAt.toISOString().slice(11, 16)} UTC):\n  ${addresses[0]}/begin#${begin.token}`);
  if (!isLoopback(options.host)) out(`\n${await QRCode.toString(begin && !trustAddress ? `${addresses[0]}/begin#${begin.token}` : (trustAddress ?? addresses[0]), { type: 'terminal', small: true })}`);
  out(`\nCtrl-C stops it; the data stays.${options.demo ? ' bin/demo --fresh starts over.' : ' bin/admin keeps people and backups.'}\n`);
}

/** bin/demo --fresh: the demo's data go, with the cluster that held them. */
async function throwAway(): Promise<void> {
  const dir = path.join(dataDir, 'postgres');
  const old = existsSync(dir) ? await startCluster(dir).catch(() => null) : null;
  old?.stop();
  if (old) rmSync(old.dir, { recursive: true, force: true });
  lock?.release();
  rmSync(dataDir, { recursive: true, force: true });
  lock = oneStart(dataDir);
}
