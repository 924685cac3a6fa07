export { buildApp, type AppParts } from './app';
export { readConfig, type ServerConfig } from './config';
export { connect, type Database } from './db/connect';
export { migrate, migrateDown, checkSchema } from './db/migrate';
export { folderStore, type FileStore } from './files/store';
export { openQueue } from './jobs/queue';
export { startWorker } from './jobs/worker';
export { hashPassword, verifyPassword } from './people/passwords';
export { writeRecord } from './records/service';
