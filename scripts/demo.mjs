#!/usr/bin/env node
// Starts the demo: database, migration and demo day, web client, server, worker. Ctrl-C ends what was started here and nothing else.
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, rmSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { freePort, startCluster } from './cluster.mjs';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const dataDir = path.resolve(process.env.MESURE_DATA_DIR ?? path.join(root, '.data'));
const fresh = process.argv.includes('--fresh');
const unknown = process.argv.slice(2).filter((a) => a !== '--fresh');
if (unknown.length > 0) {
  process.stderr.write(`bin/demo: ${unknown[0]} is not known. Only --fresh is: it starts over with new demo data.\n`);
  process.exit(2);
}
const began = Date.now();
const node = (script, env) => {
  const r = spawnSync(process.execPath, [script], { cwd: root, stdio: ['ignore', 'inherit', 'inherit'], env: { ...process.env, ...env } });
  if (r.status !== 0) throw new Error(`${path.basename(script)} failed`);
};

let cluster = null;
const children = [];
let ending = false;
async function end(code) {
  if (ending) return;
  ending = true;
  await Promise.all(
    children.map(
      (c) =>
        new Promise((resolve) => {
          if (c.exitCode !== null || c.signalCode !== null) return resolve();
          c.once('exit', resolve);
          c.kill('SIGTERM');
          setTimeout(() => c.kill('SIGKILL'), 8000).unref();
        }),
    ),
  );
  cluster?.stop();
  process.exit(code);
}
process.on('SIGINT', () => void end(0));
process.on('SIGTERM', () => void end(0));
process.on('SIGHUP', () => void end(0));

/** A process that ends by itself is started again, since phones go on sending; one that cannot stay up stops the demo. */
const MOST_STARTS = 8;
const started = { web: 0, worker: 0 };
function start(name, env) {
  started[name] += 1;
  const child = spawn(process.execPath, ['--enable-source-maps', path.join(root, `.build/${name}.mjs`)], {
    cwd: root,
    stdio: ['ignore', 'inherit', 'inherit'],
    env: { ...process.env, ...env },
    detached: true,
  });
  children.push(child);
  child.on('exit', (code, signal) => {
    if (ending) return;
    children.splice(children.indexOf(child), 1);
    if (started[name] >= MOST_STARTS) {
      process.stderr.write(`The ${name} process ended (${code ?? signal}) ${started[name]} times; stopping.\n`);
      void end(1);
      return;
    }
    process.stderr.write(`The ${name} process ended (${code ?? signal}); it is started again.\n`);
    setTimeout(() => !ending && start(name, env), 300);
  });
}

try {
  if (fresh) {
    const old = existsSync(path.join(dataDir, 'postgres')) ? await startCluster(path.join(dataDir, 'postgres')).catch(() => null) : null;
    old?.stop();
    if (old) rmSync(old.dir, { recursive: true, force: true });
    rmSync(dataDir, { recursive: true, force: true });
  }
  node(path.join(root, 'scripts/build-node.mjs'));
  node(path.join(root, 'scripts/build-web.mjs'));
  cluster = await startCluster(path.join(dataDir, 'postgres'));
  const port = Number(process.env.MESURE_PORT ?? 0) || (await freePort());
  const env = {
    MESURE_DATABASE_URL: cluster.url,
    MESURE_DATA_DIR: dataDir,
    MESURE_WEB_DIR: path.join(root, '.build/web'),
    MESURE_PORT: String(port),
    MESURE_LOG_LEVEL: process.env.MESURE_LOG_LEVEL ?? 'warn',
  };
  node(path.join(root, '.build/setup.mjs'), env);
  for (const name of ['web', 'worker']) start(name, env);
  const address = `http://127.0.0.1:${port}`;
  for (let i = 0; ; i += 1) {
    const ok = await fetch(`${address}/api/health`).then(
      (r) => r.ok,
      () => false,
    );
    if (ok) break;
    if (i > 150) throw new Error('the server did not answer');
    await new Promise((r) => setTimeout(r, 100));
  }
  process.stdout.write(`
Mesure is ready (${((Date.now() - began) / 1000).toFixed(1)} s).

  Address    ${address}
  Sign in    wrangler, supervisor or solver
  Password   slack-water-9
  To try     grid pictures and tracks in ${path.join(dataDir, 'demo-files')}

Ctrl-C stops it; the data stays. bin/demo --fresh starts over.
`);
} catch (error) {
  process.stderr.write(`The demo could not start: ${error instanceof Error ? error.message : error}. Data entered before is untouched.\n`);
  await end(1);
}
