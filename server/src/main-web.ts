import path from 'node:path';
import { fileURLToPath } from 'node:url';
import pino from 'pino';
import { buildApp } from './app';
import { readConfig } from './config';
import { connect } from './db/connect';
import { checkSchema } from './db/migrate';
import { openPreviews } from './files/previews';
import { folderStore } from './files/store';
import { openQueue } from './jobs/queue';
import { openStream } from './records/stream';

const config = readConfig(process.env);
const log = pino({ level: config.logLevel, name: 'web' });
const db = connect(config.databaseUrl);
await checkSchema(db.sequelize);
const boss = await openQueue(config.databaseUrl);
const stream = openStream(db, config.databaseUrl, log);
await stream.ready;
const previews = openPreviews(path.join(path.dirname(fileURLToPath(import.meta.url)), 'preview.mjs'));
const app = buildApp({ config, db, boss, store: folderStore(path.join(config.dataDir, 'files')), previews, stream, log });
const server = app.listen(config.port, config.host, () => log.info({ host: config.host, port: config.port }, 'listening'));

let stopping = false;
async function stop(): Promise<void> {
  if (stopping) return;
  stopping = true;
  server.close();
  await stream.stop();
  await previews.stop().catch(() => undefined);
  server.closeIdleConnections();
  setTimeout(() => server.closeAllConnections(), 3000).unref();
  await boss.stop({ graceful: true, timeout: 3000 }).catch(() => undefined);
  await db.sequelize.close().catch(() => undefined);
  process.exit(0);
}
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
