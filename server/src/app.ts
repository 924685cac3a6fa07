import cookieParser from 'cookie-parser';
import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import path from 'node:path';
import express, { type Express, type Request, type Response } from 'express';
import helmet from 'helmet';
import type PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import { pinoHttp } from 'pino-http';
import type { ServerConfig } from './config';
import type { Database } from './db/connect';
import { deviceRoutes } from './devices/routes';
import type { FileThread } from './files/file-thread';
import { fileRoutes } from './files/routes';
import type { FileStore } from './files/store';
import { handoverInRoutes } from './handover/in-routes';
import { handoverRoutes } from './handover/routes';
import { allow, guard, member } from './http/guard';
import { shallowBody } from './http/nesting';
import { notFound, problemHandler } from './http/problem';
import { addressOf, type Route } from './http/route';
import { analysisRoutes } from './jobs/routes';
import { accountRoutes } from './people/account-routes';
import { crewRoutes } from './people/crew-routes';
import { kitRoutes } from './kit/routes';
import { openRoutes } from './people/open-routes';
import { secondStepRoutes } from './people/second-step-routes';
import { sessionsOf } from './people/sessions';
import { recordRoutes } from './records/routes';
import type { ChangeStream } from './records/stream';
import { noteFault } from './watch/faults';
import { metricsOf, metricsPage } from './watch/metrics';
import { watchRoutes } from './watch/routes';

export interface AppParts {
  config: ServerConfig;
  db: Database;
  boss: PgBoss;
  store: FileStore;
  fileThread: FileThread;
  stream: ChangeStream;
  log: Logger;
  /** adds the demo film for a person; gives the production's id */
  loadDemo?: (userId: string) => Promise<string>;
}

/** Every address of the server. */
export function routesOf({ config, db, boss, store, fileThread, stream, loadDemo }: Omit<AppParts, 'log'>): Route[] {
  const sessions = sessionsOf(db, config);
  return [
    ...openRoutes(db, sessions),
    ...accountRoutes(db, config, sessions, loadDemo ?? null),
    ...secondStepRoutes(db),
    ...crewRoutes(db, sessions),
    ...recordRoutes(db, stream),
    ...fileRoutes(db, store, fileThread, config),
    ...deviceRoutes(),
    ...analysisRoutes(db, boss),
    ...handoverRoutes(db, store, fileThread, config),
    ...handoverInRoutes(db, store, fileThread, config),
    ...kitRoutes(db, store, config),
    ...watchRoutes(db, config),
  ];
}

/** Closed by default: each route says who may come in, and one that says nothing does not compile. */
export function buildApp(parts: AppParts): Express {
  const { config, db, log } = parts;
  const app = express();
  app.disable('x-powered-by');
  // behind a proxy the sender is who the proxy says; else a header could claim any address
  app.set('trust proxy', config.behindProxy);
  app.use(
    pinoHttp({
      logger: log,
      genReqId: (_req, res) => {
        const id = randomUUID();
        res.setHeader('x-request-id', id);
        return id;
      },
      // a line for what was refused or failed; what went well is told by the areas themselves (sign-ins, jobs)
      customLogLevel: (_req, res, error) => (error || res.statusCode >= 500 ? 'error' : res.statusCode === 401 || res.statusCode >= 403 ? 'warn' : 'debug'),
      serializers: {
        req: (req: { id: string; method: string; url: string; raw: { viewer?: { name: string } } }) => ({
          id: req.id,
          method: req.method,
          path: req.url.replace(/\?.*$/, ''),
          person: req.raw.viewer?.name,
        }),
        res: (res: { statusCode: number }) => ({ status: res.statusCode }),
      },
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
  api.use(shallowBody);
  api.use(cookieParser());
  const signedIn = guard(db, config.secureCookies);
  const metrics = metricsOf(db, config, () => parts.stream.openPages());
  for (const route of routesOf(parts)) {
    const closed = route.access === 'open' ? [] : route.access === 'account' ? [signedIn] : [signedIn, member, allow(route.access)];
    api[route.method](addressOf(route), metrics.time(route), ...[route.before ?? []].flat(), ...closed, async (req: Request, res: Response) => void (await route.handle(req, res)));
  }
  // what is not there is told to those who are signed in only
  api.use(signedIn, notFound);
  app.use(
    '/api',
    (_req, res, next) => {
      res.set('Cache-Control', 'no-store');
      next();
    },
    api,
  );

  app.get('/metrics', metricsPage(metrics, config.metricsToken));

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
  app.use(
    problemHandler((what, requestId) => {
      metrics.fault();
      void noteFault(db, what, requestId);
    }),
  );
  return app;
}
