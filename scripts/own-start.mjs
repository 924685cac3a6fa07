// A start of its own on loopback with the demo in it, for a script that measures: database, web process, worker where it is asked for.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { freePort, startCluster } from './cluster.mjs';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');

/** @returns address, where its files lie, a way to ask as somebody of the demo, and its end */
export async function ownStart(name) {
  const dir = mkdtempSync(path.join(os.tmpdir(), `mesure-${name}-`));
  const cluster = await startCluster(path.join(dir, 'postgres'));
  const port = await freePort();
  const address = `http://127.0.0.1:${port}`;
  const env = { ...process.env, MESURE_DATABASE_URL: cluster.url, MESURE_DATA_DIR: dir, MESURE_WEB_DIR: path.join(dir, 'none'), MESURE_PORT: String(port), MESURE_LOG_LEVEL: 'error' };
  for (const script of ['scripts/build-node.mjs', '.build/setup.mjs']) {
    const r = spawnSync(process.execPath, [path.join(root, script)], { cwd: root, stdio: ['ignore', 'ignore', 'inherit'], env });
    if (r.status !== 0) throw new Error(`${script} failed`);
  }
  const web = spawn(process.execPath, [path.join(root, '.build/web.mjs')], { cwd: root, stdio: ['ignore', 'ignore', 'inherit'], env });
  const healthy = () =>
    fetch(`${address}/api/health`).then(
      (r) => r.ok,
      () => false,
    );
  for (let i = 0; i < 200 && !(await healthy()); i += 1) await new Promise((r) => setTimeout(r, 100));
  return {
    address,
    dir,
    async signIn(person) {
      const r = await fetch(`${address}/api/session`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ name: person, password: 'slack-water-9' }) });
      const { csrfToken, production } = await r.json();
      const headers = { cookie: r.headers.getSetCookie()[0].split(';')[0], 'x-csrf-token': csrfToken, 'content-type': 'application/json' };
      const ask = (where, body) => fetch(`${address}/api/productions/${production.id}${where}`, body === undefined ? { headers } : { method: 'POST', headers, body: JSON.stringify(body) });
      return { production, ask };
    },
    async stop() {
      web.kill('SIGTERM');
      await new Promise((r) => web.once('exit', r));
      cluster.stop();
      rmSync(dir, { recursive: true, force: true });
      if (cluster.dir !== path.join(dir, 'postgres')) rmSync(cluster.dir, { recursive: true, force: true });
    },
  };
}
