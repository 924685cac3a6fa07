import { spawn } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { createServer as createHttp } from 'node:http';
import { createServer as createHttps } from 'node:https';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import pino from 'pino';
import { buildApp } from './app';
import { readConfig } from './config';
import { connect } from './db/connect';
import { checkSchema } from './db/migrate';
import { openFileThread } from './files/file-thread';
import { storeOf } from './files/storage';
import { openQueue } from './jobs/queue';
import { openStream } from './records/stream';
import { trustServer } from './start/trust-page';

const config = readConfig(process.env);
const log = pino({ level: config.logLevel, name: 'web' });
const here = path.dirname(fileURLToPath(import.meta.url));
const db = connect(config.databaseUrl);
await checkSchema(db.sequelize);
const boss = await openQueue(config.databaseUrl);
const stream = openStream(db, config.databaseUrl, log);
await stream.ready;
const fileThread = openFileThread(path.join(here, 'file-thread.mjs'));
const demoTool = path.join(here, 'setup.mjs');
const app = buildApp({
  config,
  db,
  boss,
  store: storeOf(config),
  fileThread,
  stream,
  log,
  ...(existsSync(demoTool) ? { loadDemo: (userId: string) => addDemo(demoTool, userId) } : {}),
});
const listener = config.tls ? createHttps({ cert: readFileSync(config.tls.certFile), key: readFileSync(config.tls.keyFile) }, app) : createHttp(app);
const server = listener.listen(config.port, config.host, () => log.info({ host: config.host, port: config.port, tls: config.tls !== null }, 'listening'));
const trust =
  config.authorityFile && config.trustAddress && config.addresses[0] ? trustServer(config.authorityFile, config.addresses[0]).listen(Number(new URL(config.trustAddress).port), config.host) : null;

/** Rendering the demo takes a while: in a process of its own, so that nobody waits for it. */
function addDemo(tool: string, userId: string): Promise<string> {
  return new Promise((resolve, reject) => {
    let out = '';
    const child = spawn(process.execPath, ['--enable-source-maps', tool, 'add', userId], { env: process.env, stdio: ['ignore', 'pipe', 'inherit'] });
    child.stdout.on('data', (d: Buffer) => (out += d.toString()));
    child.on('error', reject);
    child.on('exit', (code) => (code === 0 ? resolve(out.trim()) : reject(new Error(`the demo tool ended with ${code}`))));
  });
}

let stopping = false;
async function stop(): Promise<void> {
  if (stopping) return;
  stopping = true;
  server.close();
  trust?.close();
  await stream.stop();
  await fileThread.stop().catch(() => undefined);
  server.closeIdleConnections();
  setTimeout(() => server.closeAllConnections(), 3000).unref();
  await boss.stop({ graceful: true, timeout: 3000 }).catch(() => undefined);
  await db.sequelize.close().catch(() => undefined);
  process.exit(0);
}
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
