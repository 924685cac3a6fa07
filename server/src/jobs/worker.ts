import { MessageChannel } from 'node:worker_threads';
import type PgBoss from 'pg-boss';
import Piscina from 'piscina';
import type { Logger } from 'pino';
import type { Database } from '../db/connect';
import type { FileStore } from '../files/store';
import type { ComputeAnswer, ComputeProgress } from './compute-types';
import { ANALYSIS_QUEUE } from './queue';

export interface WorkerOptions {
  db: Database;
  boss: PgBoss;
  store: FileStore;
  log: Logger;
  computeFile: string;
}

/** How often a running job looks whether somebody wants it stopped. */
const STOP_POLL_MS = 400;

/**
 * Takes analyses from the queue, one at a time, and computes them in a thread. Nothing is held in memory that a restart would miss: a
 * job cut off by the process's end goes back to the queue.
 */
export async function startWorker({ db, boss, store, log, computeFile }: WorkerOptions): Promise<{ stop(): Promise<void> }> {
  const pool = new Piscina({ filename: computeFile, minThreads: 1, maxThreads: 1, idleTimeout: 60_000 });
  let closing = false;

  async function run(analysisId: string): Promise<void> {
    const row = await db.AnalysisRow.findByPk(analysisId);
    if (!row || row.status === 'done' || row.status === 'stopped') return;
    await row.update({ status: 'running', progress: 0, stage: 'starting' });
    const abort = new AbortController();
    const { port1, port2 } = new MessageChannel();
    let stopped = false;
    port1.on('message', (p: ComputeProgress) => {
      void db.AnalysisRow.update({ progress: p.progress, stage: p.stage }, { where: { id: row.id, status: 'running' } }).catch((err) => log.warn({ err }, 'progress not saved'));
    });
    const poll = setInterval(() => {
      void db.AnalysisRow.findByPk(row.id, { attributes: ['stopRequested'] }).then(
        (now) => {
          if (!now?.stopRequested || stopped) return;
          stopped = true;
          abort.abort();
        },
        () => undefined,
      );
    }, STOP_POLL_MS);
    const began = Date.now();
    try {
      const bytes = await store.read(row.input.file.sha256);
      const answer = (await pool.run({ input: row.input, bytes, port: port2 }, { signal: abort.signal, transferList: [port2] })) as ComputeAnswer;
      await finish(answer.ok ? { status: 'done', outcome: answer.outcome, progress: 1, stage: 'done' } : { status: 'failed', error: answer.message, stage: 'failed' });
      log.info({ analysis: row.id, kind: row.kind, ms: Date.now() - began }, 'analysis finished');
    } catch (err) {
      if (closing) throw err; // back to the queue
      if (stopped) await finish({ status: 'stopped', stage: 'stopped' });
      else {
        log.error({ err, analysis: row.id }, 'analysis failed');
        await finish({ status: 'failed', error: 'The computation failed on the server. The picture and the record are safe; start it again.', stage: 'failed' });
      }
    } finally {
      clearInterval(poll);
      port1.close();
    }
    async function finish(change: Partial<Pick<typeof row & object, 'status' | 'outcome' | 'error' | 'progress' | 'stage'>>) {
      await row!.update({ ...change, finishedAt: new Date() });
    }
  }

  await boss.work<{ analysisId: string }>(ANALYSIS_QUEUE, { batchSize: 1, pollingIntervalSeconds: 0.5 }, async (jobs) => {
    for (const job of jobs) await run(job.data.analysisId);
  });
  return {
    async stop() {
      closing = true;
      await boss.offWork(ANALYSIS_QUEUE).catch(() => undefined);
      await pool.destroy();
    },
  };
}
