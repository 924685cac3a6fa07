import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { MessageChannel } from 'node:worker_threads';
import type { AnalysisKind, KeptFile } from '@mesure/contract';
import { FormatError } from '@mesure/formats';
import type PgBoss from 'pg-boss';
import Piscina from 'piscina';
import type { Logger } from 'pino';
import { literal, Op } from 'sequelize';
import { agoMs, NOW } from '../db/clock';
import type { Database } from '../db/connect';
import type { FileStore } from '../files/store';
import type { ComputeAnswer, ComputeProgress, MadeFile } from './compute-types';
import { briefOf } from './briefs';
import { prepare } from './given';
import { ANALYSIS_QUEUE, enqueueAnalysis } from './queue';
import { THREAD } from './thread-options';
import { KIND_LIMITS, TAKEN_OVER } from './turns';
import { removeEnded } from '../people/end-production';

/** How often a worker looks for films whose time is over. */
const ENDING_LOOK_MS = 3_600_000;

export interface WorkerOptions {
  db: Database;
  boss: PgBoss;
  store: FileStore;
  log: Logger;
  computeFile: string;
  /** a running job without a sign of life for so long is taken over; default 15 s */
  abandonedAfterMs?: number;
  /** of tests: how long one computation may take */
  limitMs?: (kind: AnalysisKind) => number;
}

/** How often a running job shows that it lives and looks whether somebody wants it stopped. */
const BEAT_MS = 400;
/** What one computation may take; it ends that computation, and not the worker with the jobs of everybody. */
const MEMORY_MB = 3072;
/** A computation that took its worker down so often would take down the next one too. */
const MAX_ATTEMPTS = 3;

/**
 * Takes analyses from the queue, one at a time, and computes them in a thread. Nothing is held in memory that a restart would miss: a
 * job cut off by the process's end goes back to the queue, and one whose worker was killed is taken over when its signs of life stop.
 */
export async function startWorker({
  db,
  boss,
  store,
  log,
  computeFile,
  abandonedAfterMs = 15_000,
  limitMs = (kind) => 1000 * KIND_LIMITS[kind].seconds,
}: WorkerOptions): Promise<{ stop(): Promise<void> }> {
  const pool = new Piscina({ filename: computeFile, minThreads: 1, maxThreads: 1, idleTimeout: 60_000, ...THREAD, resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB } });
  let closing = false;

  async function run(analysisId: string): Promise<void> {
    const mayTake = { [Op.or]: [{ status: 'queued' as const }, abandoned()] };
    const [taken] = await db.AnalysisRow.update(
      { status: 'running', progress: 0, stage: 'starting', heartbeatAt: NOW, attempts: literal('attempts + 1') as never },
      { where: { id: analysisId, ...mayTake } },
    );
    if (taken === 0) return; // done, stopped, or in another worker's hands
    const row = (await db.AnalysisRow.findByPk(analysisId, { attributes: { exclude: ['outcome', 'brief'] } }))!;
    // whoever takes a job over counts it up: a worker that was only slow, and not gone, finds itself succeeded and writes nothing more
    const ours = { id: row.id, status: 'running' as const, attempts: row.attempts };
    const abort = new AbortController();
    const { port1, port2 } = new MessageChannel();
    let stopped = false;
    let late = false;
    let succeeded = false;
    const saveProgress = (p: ComputeProgress) => {
      void db.AnalysisRow.update({ progress: p.progress, stage: p.stage }, { where: ours }).catch((err) => log.warn({ err }, 'progress not saved'));
    };
    port1.on('message', saveProgress);
    const beat = async () => {
      const [count] = await db.AnalysisRow.update({ heartbeatAt: NOW }, { where: ours });
      const now = count === 0 ? null : await db.AnalysisRow.findOne({ attributes: ['stopRequested'], where: ours });
      succeeded ||= count === 0;
      // succeeded, or to be stopped: neither goes on
      if (stopped || !(succeeded || now?.stopRequested)) return;
      stopped = true;
      abort.abort();
    };
    const poll = setInterval(() => {
      beat().catch((err: unknown) => log.warn({ err }, 'sign of life not saved'));
    }, BEAT_MS);
    const began = Date.now();
    const limit = setTimeout(() => {
      late = true;
      abort.abort();
    }, limitMs(row.kind));
    let release: (() => Promise<void>) | undefined;
    try {
      const { input } = row;
      const { release: after, ...given } = await prepare({ store, input, signal: abort.signal, report: (progress, stage) => saveProgress({ progress, stage }) });
      release = after;
      const answer = (await pool.run({ input, given, port: port2 }, { signal: abort.signal, transferList: [port2] })) as ComputeAnswer;
      if (!answer.ok) await finish({ status: 'failed', error: answer.message, stage: 'failed' });
      else
        await finish({
          status: 'done',
          outcome: 'made' in answer ? { ...answer.outcome, files: await keepAll(answer.made, row.productionId) } : answer.outcome,
          progress: 1,
          stage: 'done',
        });
      log.info({ analysis: row.id, kind: row.kind, ms: Date.now() - began }, 'analysis finished');
    } catch (err) {
      if (closing) {
        await db.AnalysisRow.update({ status: 'queued', stage: '' }, { where: ours });
        throw err; // back to the queue
      }
      if (stopped) await finish({ status: 'stopped', stage: 'stopped' });
      else if (late)
        await finish({
          status: 'failed',
          error: `The computation took longer than ${Math.round(limitMs(row.kind) / 60_000)} minutes, which is the most for one of its kind. The record is safe; give it less at once: fewer frames, fewer tracks, a smaller picture.`,
          stage: 'failed',
        });
      else if (err instanceof FormatError) await finish({ status: 'failed', error: err.message, stage: 'failed' });
      else if ((err as NodeJS.ErrnoException).code === 'ERR_WORKER_OUT_OF_MEMORY')
        await finish({ status: 'failed', error: 'The computation needs more memory than one may take. The record is safe; give it less at once: fewer tracks, a smaller picture.', stage: 'failed' });
      else {
        log.error({ err, analysis: row.id }, 'analysis failed');
        await finish({ status: 'failed', error: 'The computation failed on the server. The picture and the record are safe; start it again.', stage: 'failed' });
      }
    } finally {
      clearInterval(poll);
      clearTimeout(limit);
      port1.close();
      await release?.().catch((err: unknown) => log.warn({ err }, 'laid out frames not removed'));
    }
    async function finish(change: Partial<Pick<typeof row, 'status' | 'outcome' | 'error' | 'progress' | 'stage'>>) {
      const [kept] = await db.AnalysisRow.update({ ...change, ...(change.outcome ? { brief: briefOf(change.outcome) } : {}), finishedAt: NOW }, { where: ours });
      if (kept === 0) log.warn({ analysis: row.id }, 'analysis was taken over meanwhile: this answer is not kept');
    }
  }

  /** Puts what a computation made into the store, as files of the production. */
  async function keepAll(made: readonly MadeFile[], productionId: string): Promise<KeptFile[]> {
    const dir = await mkdtemp(path.join(os.tmpdir(), 'mesure-made-'));
    try {
      const kept: KeptFile[] = [];
      for (const { name, mime, what, bytes } of made) {
        const file = path.join(dir, String(kept.length));
        await writeFile(file, bytes);
        const sha256 = await store.put(file);
        await db.StoredFile.upsert({ productionId, sha256, name, mime, sizeBytes: bytes.byteLength, widthPx: null, heightPx: null });
        kept.push({ name, sha256, mime, sizeBytes: bytes.byteLength, what });
      }
      return kept;
    } finally {
      await rm(dir, { recursive: true, force: true });
    }
  }

  const abandoned = () => ({ status: 'running' as const, heartbeatAt: { [Op.or]: [null, { [Op.lt]: agoMs(abandonedAfterMs) }] } });
  /** Puts jobs whose worker is gone back into the queue; whichever worker changes the row does it. */
  const takeOver = setInterval(() => {
    void (async () => {
      await db.AnalysisRow.update(
        {
          status: 'failed',
          stage: 'failed',
          finishedAt: NOW,
          error: `The computation ended the server's worker ${MAX_ATTEMPTS} times and is not tried again. The picture and the record are safe.`,
        },
        { where: { ...abandoned(), attempts: { [Op.gte]: MAX_ATTEMPTS } } },
      );
      await db.sequelize.transaction(async (transaction) => {
        const [, rows] = await db.AnalysisRow.update({ status: 'queued', stage: '', priority: TAKEN_OVER }, { where: abandoned(), returning: ['id', 'kind'], transaction });
        for (const row of rows) {
          log.warn({ analysis: row.id }, 'analysis taken over from a worker that is gone');
          await enqueueAnalysis(boss, row.id, { transaction, priority: TAKEN_OVER, seconds: KIND_LIMITS[row.kind].seconds });
        }
      });
    })().catch((err) => log.warn({ err }, 'no look for abandoned analyses'));
  }, abandonedAfterMs / 3);
  const removeDue = () =>
    void removeEnded(db, store).then(
      (names) => names.forEach((production) => log.warn({ production }, 'production removed for good, as an owner asked')),
      (err) => log.warn({ err }, 'no look for productions that end'),
    );
  removeDue();
  const ending = setInterval(removeDue, ENDING_LOOK_MS);
  await boss.work<{ analysisId: string }>(ANALYSIS_QUEUE, { batchSize: 1, pollingIntervalSeconds: 0.5 }, async (jobs) => {
    for (const job of jobs) await run(job.data.analysisId);
  });
  return {
    async stop() {
      closing = true;
      clearInterval(takeOver);
      clearInterval(ending);
      await boss.offWork(ANALYSIS_QUEUE).catch(() => undefined);
      await pool.destroy();
    },
  };
}
