import { Client } from 'pg';
import type { Response } from 'express';
import type { Logger } from 'pino';
import type { Database } from '../db/connect';
import { changesAfter } from './changes';
import { CHANGES_CHANNEL } from './service';

/** Changes of half a dozen people within this time go out together; with more pages open more are gathered, since each is written to all. */
const GATHER_MS = 60;
const GATHER_MS_A_PAGE = 2;
/** A page that takes nothing more in is let go at so much: it comes again and reads what it missed as one. */
const MOST_UNSENT_BYTES = 4_000_000;
const HEARTBEAT_MS = 15_000;
const RECONNECT_MS = 1000;

interface Listener {
  productionId: string;
  res: Response;
  cursor: number;
  /** of the database that the page knows; null: it did not say */
  epoch: string | null;
  /** still allowed to listen? asked at every heartbeat */
  allowed: () => Promise<boolean>;
}

const placeOf = (l: Listener): string => `${l.cursor}|${l.epoch ?? ''}`;

/**
 * Tells every open page of a production what changed, as server-sent events. The database tells this process (LISTEN), so that any number
 * of web processes serve one production. What is sent is read after each listener's own cursor: a page that was away gets all it missed.
 */
export function openStream(db: Database, databaseUrl: string, log: Logger) {
  const listeners = new Set<Listener>();
  const due = new Map<string, NodeJS.Timeout>();
  const telling = new Set<string>();
  const again = new Set<string>();
  let stopped = false;
  let client: Client | null = null;

  async function connect(): Promise<void> {
    if (stopped) return;
    const c = new Client({ connectionString: databaseUrl });
    client = c;
    const reconnect = () => {
      if (client !== c) return;
      client = null;
      if (!stopped) setTimeout(() => void connect(), RECONNECT_MS).unref();
    };
    c.on('notification', (n) => n.payload && soon(n.payload));
    c.on('error', (error) => {
      log.warn({ err: error }, 'listening for changes broke off');
      reconnect();
    });
    c.on('end', reconnect);
    try {
      await c.connect();
      await c.query(`listen ${CHANGES_CHANNEL}`);
      // what happened while nobody listened
      for (const production of new Set([...listeners].map((l) => l.productionId))) soon(production);
    } catch (error) {
      log.warn({ err: error }, 'cannot listen for changes');
      reconnect();
    }
  }

  /** One turn a production at a time: a second one beside it would read the same again, and the more there is to tell the more of them. */
  function soon(productionId: string): void {
    if (telling.has(productionId)) {
      again.add(productionId);
      return;
    }
    if (due.has(productionId)) return;
    const whom = () => [...listeners].filter((l) => l.productionId === productionId);
    const turn = async (): Promise<void> => {
      due.delete(productionId);
      telling.add(productionId);
      try {
        await tell(whom());
      } catch (error) {
        log.warn({ err: error }, 'changes were not told; they go with the next ones');
      }
      telling.delete(productionId);
      if (again.delete(productionId) && !stopped) soon(productionId);
    };
    due.set(
      productionId,
      setTimeout(() => void turn(), GATHER_MS + GATHER_MS_A_PAGE * whom().length),
    );
  }

  /** What a page does not take in is not kept for it without end. */
  function write(l: Listener, text: string): void {
    if (l.res.writableLength > MOST_UNSENT_BYTES) {
      listeners.delete(l);
      l.res.destroy();
      return;
    }
    l.res.write(text);
  }

  /** One read for all who are at the same place, which is nearly always everybody. */
  async function tell(whom: Listener[]): Promise<void> {
    for (const place of new Set(whom.map(placeOf))) {
      const same = whom.filter((l) => placeOf(l) === place);
      const { cursor } = same[0];
      const batch = await changesAfter(db, same[0].productionId, cursor, same[0].epoch);
      if (batch.cursor === cursor && !batch.whole) continue;
      const text = `id: ${batch.cursor}\nevent: records\ndata: ${JSON.stringify(batch)}\n\n`;
      for (const l of same.filter((q) => placeOf(q) === place)) {
        l.cursor = batch.cursor;
        l.epoch = batch.epoch;
        write(l, text);
      }
      // told by another turn while this one read, which may have read less: what is new since then, and nothing twice
      const moved = same.filter((q) => q.cursor !== batch.cursor && placeOf(q) !== place);
      if (moved.length > 0) await tell(moved);
    }
  }

  const heartbeat = setInterval(() => {
    for (const l of listeners) {
      void l
        .allowed()
        .then((yes) => (yes ? l.res.write('event: alive\ndata: {}\n\n') : l.res.end()))
        .catch(() => undefined);
    }
  }, HEARTBEAT_MS);
  heartbeat.unref();
  const ready = connect();

  return {
    ready,
    openPages: () => listeners.size,
    async listen(res: Response, productionId: string, cursor: number, epoch: string | null, allowed: () => Promise<boolean>): Promise<void> {
      res.status(200).set({ 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' });
      res.flushHeaders();
      const listener: Listener = { productionId, res, cursor, epoch, allowed };
      listeners.add(listener);
      res.on('close', () => listeners.delete(listener));
      res.write('retry: 1500\n: listening\n\n');
      await tell([listener]);
    },
    async stop(): Promise<void> {
      stopped = true;
      clearInterval(heartbeat);
      for (const timer of due.values()) clearTimeout(timer);
      for (const l of listeners) l.res.end();
      await client?.end().catch(() => undefined);
    },
  };
}
export type ChangeStream = ReturnType<typeof openStream>;
