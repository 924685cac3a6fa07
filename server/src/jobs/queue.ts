import PgBoss from 'pg-boss';
import type { Transaction } from 'sequelize';

export const ANALYSIS_QUEUE = 'analysis';

/** Jobs sit in PostgreSQL, so that any number of workers on any machines take them. */
export async function openQueue(databaseUrl: string): Promise<PgBoss> {
  const boss = new PgBoss({ connectionString: databaseUrl, schema: 'jobs', application_name: 'mesure-jobs' });
  boss.on('error', () => undefined); // a lost connection shows in the next call, which reports it
  await boss.start();
  await ensureQueue(boss);
  return boss;
}

/**
 * Making a queue makes a table, and two processes that do so at the same moment can lock each other out (PostgreSQL ends one of them with
 * a deadlock). Whoever lost looks again: the queue is there by then.
 */
async function ensureQueue(boss: PgBoss): Promise<void> {
  for (let attempt = 1; ; attempt += 1) {
    try {
      if (!(await boss.getQueue(ANALYSIS_QUEUE))) await boss.createQueue(ANALYSIS_QUEUE);
      return;
    } catch (error) {
      if (attempt === 5) throw error;
      await new Promise((resolve) => setTimeout(resolve, 100 * attempt));
    }
  }
}

interface Entry {
  /** in which the row is written: a job without its entry would wait for ever, an entry without its job would find nothing */
  transaction?: Transaction;
  /** the greater, the sooner */
  priority?: number;
  /** after which the queue holds its worker for gone */
  seconds?: number;
}

export function enqueueAnalysis(boss: PgBoss, analysisId: string, { transaction, priority = 0, seconds = 600 }: Entry = {}): Promise<string | null> {
  // the worker ends what takes too long, and says so; the queue's own limit lies beyond
  const options = { retryLimit: 2, retryDelay: 1, expireInSeconds: seconds + 300, priority };
  if (!transaction) return boss.send(ANALYSIS_QUEUE, { analysisId }, options);
  const connection = (transaction as unknown as { connection: { query(text: string, values: unknown[]): Promise<{ rows: unknown[]; rowCount: number }> } }).connection;
  return boss.send(ANALYSIS_QUEUE, { analysisId }, { ...options, db: { executeSql: (text: string, values: unknown[]) => connection.query(text, values) as never } });
}
