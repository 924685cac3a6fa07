import PgBoss from 'pg-boss';

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

export const enqueueAnalysis = (boss: PgBoss, analysisId: string): Promise<string | null> => boss.send(ANALYSIS_QUEUE, { analysisId }, { retryLimit: 2, retryDelay: 1, expireInSeconds: 600 });
