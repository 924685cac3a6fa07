import cookieParser from 'cookie-parser';
import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import path from 'node:path';
import express, { type Express } from 'express';
import helmet from 'helmet';
import type PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import { pinoHttp } from 'pino-http';
import type { ServerConfig } from './config';
import type { Database } from './db/connect';
import { deviceRoutes } from './devices/routes';
import type { Previews } from './files/previews';
import { fileRoutes } from './files/routes';
import type { FileStore } from './files/store';
import { handoverRoutes } from './handover/routes';
import { guard, ownProduction } from './http/guard';
import { notFound, problemHandler } from './http/problem';
import { analysisRoutes } from './jobs/routes';
import { peopleRoutes } from './people/routes';
import { recordRoutes } from './records/routes';
import type { ChangeStream } from './records/stream';

export interface AppParts {
  config: ServerConfig;
  db: Database;
  boss: PgBoss;
  store: FileStore;
  previews: Previews;
  stream: ChangeStream;
  log: Logger;
}

/** The table of addresses. Everything below `guard` is closed; what stands above it is open and says so. */
export function buildApp({ config, db, boss, store, previews, stream, log }: AppParts): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(
    pinoHttp({
      logger: log,
      genReqId: (_req, res) => {
        const id = randomUUID();
        res.setHeader('x-request-id', id);
        return id;
      },
      redact: ['req.headers.cookie', 'req.headers["x-csrf-token"]', 'res.headers["set-cookie"]'],
      autoLogging: { ignore: (req) => !req.url?.startsWith('/api') },
    }),
  );
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        // styles are inline: the web target writes its rules into one style element
        directives: {
          defaultSrc: ["'none'"],
          // WebAssembly may be compiled (the core's inner loops); text may not become code
          scriptSrc: ["'self'", "'wasm-unsafe-eval'"],
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:', 'blob:'],
          fontSrc: ["'self'"],
          connectSrc: ["'self'"],
          workerSrc: ["'self'", 'blob:'],
          manifestSrc: ["'self'"],
          baseUri: ["'none'"],
          formAction: ["'self'"],
          frameAncestors: ["'none'"],
        },
      },
      strictTransportSecurity: config.secureCookies,
    }),
  );

  const api = express.Router();
  api.use(express.json({ limit: '1mb' }));
  api.use(cookieParser());
  // open: says only that the process and its database answer
  api.get('/health', async (_req, res) => {
    await db.sequelize.query('select 1');
    res.json({ status: 'ok' });
  });
  api.use(peopleRoutes(db, config));
  api.use(guard(db));
  const production = express.Router({ mergeParams: true });
  production.use('/records', recordRoutes(db, stream));
  production.use('/files', fileRoutes(db, store, previews, config));
  production.use('/devices', deviceRoutes());
  production.use('/analyses', analysisRoutes(db, boss));
  production.use('/days', handoverRoutes(db, store));
  api.use('/productions/:productionId', ownProduction, production);
  api.use(notFound);
  app.use(
    '/api',
    (_req, res, next) => {
      res.set('Cache-Control', 'no-store');
      next();
    },
    api,
  );

  if (existsSync(config.webDir)) {
    app.use(
      express.static(config.webDir, {
        index: false,
        setHeaders: (res, file) => {
          // named by their content: kept for good; the shell and its worker are asked for each time
          res.setHeader('Cache-Control', /[.-][0-9a-f]{16,}\./.test(path.basename(file)) ? 'public, max-age=31536000, immutable' : 'no-cache');
        },
      }),
    );
    app.get(/^\/(?!.*\.\w{2,5}$).*/, (_req, res) => {
      // by root and name: the folder itself may lie below one whose name begins with a dot
      res.set('Cache-Control', 'no-cache').sendFile('index.html', { root: config.webDir });
    });
  }
  app.use(notFound);
  app.use(problemHandler);
  return app;
}
