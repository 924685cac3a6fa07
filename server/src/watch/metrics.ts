import type { Request, RequestHandler, Response } from 'express';
import { timingSafeEqual } from 'node:crypto';
import { collectDefaultMetrics, Counter, Gauge, Histogram, Registry } from 'prom-client';
import type { ServerConfig } from '../config';
import type { Database } from '../db/connect';
import { freeBytesOf } from '../files/space';
import { ApiProblem } from '../http/problem';
import { addressOf, type Route } from '../http/route';
import { countsOf } from './state';

/** From what nobody notices to what nobody waits for, s. */
const BUCKETS_S = [0.005, 0.02, 0.05, 0.15, 0.3, 1, 3, 10, 30];

/**
 * What a watching program collects, in the common text format (Prometheus exposition). Of this process: requests by address pattern, memory,
 * event loop; of all: queue, disk, devices. Nothing of what is in a film, and no names.
 */
export function metricsOf(db: Database, config: Pick<ServerConfig, 'dataDir' | 'space'>, openPages: () => number) {
  const registry = new Registry();
  collectDefaultMetrics({ register: registry });
  const registers = [registry];
  const requests = new Histogram({ name: 'mesure_request_seconds', help: 'Time of requests by address pattern', labelNames: ['method', 'address', 'status'], buckets: BUCKETS_S, registers });
  const faults = new Counter({ name: 'mesure_faults_total', help: 'Requests that failed here (500)', registers });
  const gauge = (name: string, help: string) => new Gauge({ name: `mesure_${name}`, help, registers });
  const pages = gauge('open_pages', 'Pages that listen to changes at this process');
  const waiting = gauge('computations_waiting', 'Computations that wait for a worker');
  const running = gauge('computations_running', 'Computations under way');
  const oldest = gauge('computations_oldest_wait_seconds', 'How long the oldest one has waited');
  const failed = gauge('computations_failed_day', 'Computations that failed within a day');
  const files = gauge('files_bytes', 'Files in the store');
  const database = gauge('database_bytes', 'The database');
  const free = gauge('disk_free_bytes', 'Free for files, beyond the reserve');
  const devices = gauge('devices_hour', 'Devices seen within an hour');

  return {
    fault: () => faults.inc(),
    /** how long a route takes, under its pattern and never under an id */
    time:
      (route: Route): RequestHandler =>
      (_req, res, next) => {
        const end = requests.startTimer({ method: route.method, address: addressOf(route) });
        // an event stream is open for hours: it is no slow answer
        if (!route.path.endsWith('/events')) res.once('close', () => end({ status: String(res.statusCode) }));
        next();
      },
    async text(): Promise<string> {
      const counts = await countsOf(db);
      pages.set(openPages());
      waiting.set(counts.waiting);
      running.set(counts.running);
      oldest.set(counts.oldest_wait_s ?? 0);
      failed.set(counts.failed_today);
      files.set(counts.files_bytes);
      database.set(counts.database_bytes);
      devices.set(counts.devices);
      free.set(await freeBytesOf(config.dataDir, config.space.reserveBytes));
      return registry.metrics();
    },
    contentType: registry.contentType,
  };
}
export type Metrics = ReturnType<typeof metricsOf>;

/** Closed: without a token of the server's environment there is no such address, and with one only its bearer gets an answer. */
export function metricsPage(metrics: Metrics, token: string | null) {
  return async (req: Request, res: Response): Promise<void> => {
    const given = Buffer.from(/^Bearer (.+)$/.exec(req.get('authorization') ?? '')?.[1] ?? '');
    const right = Buffer.from(token ?? '');
    if (!token || given.length !== right.length || !timingSafeEqual(given, right)) throw new ApiProblem('NOT_FOUND', 'There is nothing at /metrics');
    res
      .set('Cache-Control', 'no-store')
      .type(metrics.contentType)
      .send(await metrics.text());
  };
}
