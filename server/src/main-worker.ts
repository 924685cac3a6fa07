import path from 'node:path';
import { fileURLToPath } from 'node:url';
import pino from 'pino';
import { readConfig } from './config';
import { connect } from './db/connect';
import { checkSchema } from './db/migrate';
import { storeOf } from './files/storage';
import { openQueue } from './jobs/queue';
import { startWorker } from './jobs/worker';

const config = readConfig(process.env);
const log = pino({ level: config.logLevel, name: 'worker' });
const db = connect(config.databaseUrl);
await checkSchema(db.sequelize);
const boss = await openQueue(config.databaseUrl);
const here = path.dirname(fileURLToPath(import.meta.url));
const worker = await startWorker({ db, boss, store: storeOf(config), log, computeFile: path.join(here, 'compute.mjs') });
log.info('ready for jobs');

let stopping = false;
async function stop(): Promise<void> {
  if (stopping) return;
  stopping = true;
  await worker.stop();
  await boss.stop({ graceful: true, timeout: 3000 }).catch(() => undefined);
  await db.sequelize.close().catch(() => undefined);
  process.exit(0);
}
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
