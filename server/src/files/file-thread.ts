import { isExr, previewJpeg } from '@mesure/formats/picture';
import Piscina from 'piscina';
import { createHash } from 'node:crypto';
import pLimit from 'p-limit';
import { ApiProblem } from '../http/problem';
import { THREAD } from '../jobs/thread-options';
import type { ThreadAnswer, ThreadTask, ThreadTasks } from './in-thread';

export interface FileThread {
  /** a JPEG of a picture, at most so wide. @throws FormatError, ApiProblem */
  preview(bytes: Buffer, name: string, widthPx: number): Promise<Buffer>;
  /** how many tracks over how many frames a file holds. @throws ApiProblem UNREADABLE_FILE where it holds none */
  tracks(file: string, name: string): Promise<ThreadTasks['tracks']['made']>;
  /** how many records a handover of another Mesure holds. @throws ApiProblem UNREADABLE_FILE in words where one of them could not come in */
  handover(file: string, name: string): Promise<ThreadTasks['handover']['made']>;
  /** an ST map of a lens, as the bytes of its file */
  stMap(asked: ThreadTasks['stMap']['asked']): Promise<Uint8Array>;
  stop(): Promise<void>;
}

/** What one file may take: it ends the thread, and nobody else's request. */
const MEMORY_MB = 1200;
/**
 * What is of one kind waits for each other only: a picture that is made to be decoded for ever holds up no tracks, and is given up before
 * somebody who waits for the next one goes away. A map of a large picture is written for a minute.
 */
const LANES = { preview: { ms: 20_000, threads: 2 }, tracks: { ms: 120_000, threads: 1 }, handover: { ms: 120_000, threads: 1 }, stMap: { ms: 900_000, threads: 1 } } satisfies Record<
  ThreadTask['what'],
  { ms: number; threads: number }
>;
/** Broken pictures are not tried again for everybody who opens their list; so many are remembered. */
const MOST_REMEMBERED = 500;

/**
 * Files that are read or written in plain code: large ones take seconds, which would hold up everybody else's requests, and some are made to take
 * more memory than there is. They go to a thread that comes with the first and ends a minute after the last; what takes long has one of its own, so
 * that nobody's preview waits behind it. (The picture library decodes in threads of its own.)
 */
export function openFileThread(threadFile: string): FileThread {
  const pools = new Map<ThreadTask['what'], Piscina<ThreadTask, ThreadAnswer>>();
  const broken = new Map<string, ApiProblem>();
  const turns = new Map(Object.entries(LANES).map(([lane, { threads }]) => [lane, pLimit(threads)]));
  const poolOf = (lane: ThreadTask['what']) => {
    let pool = pools.get(lane);
    if (!pool)
      pools.set(
        lane,
        (pool = new Piscina({ filename: threadFile, ...THREAD, minThreads: 0, maxThreads: LANES[lane].threads, idleTimeout: 60_000, resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB } })),
      );
    return pool;
  };
  async function run<K extends keyof ThreadTasks>(task: ThreadTask & { what: K }): Promise<ThreadTasks[K]['made']> {
    let answer: ThreadAnswer;
    try {
      // the time counts from its turn on: who waits behind others is not slow
      answer = await turns.get(task.what)!(() => poolOf(task.what).run(task, { signal: AbortSignal.timeout(LANES[task.what].ms) }));
    } catch (error) {
      const code = (error as NodeJS.ErrnoException).code;
      if (code === 'ERR_WORKER_OUT_OF_MEMORY') throw new ApiProblem('TOO_LARGE', `${task.name} needs more memory than one file may take.`);
      if ((error as Error).name === 'AbortError') throw new ApiProblem('TOO_LARGE', `${task.name} takes longer than one file may.`);
      throw error;
    }
    if ('fault' in answer) throw new ApiProblem('UNREADABLE_FILE', answer.fault);
    return answer.made as ThreadTasks[K]['made'];
  }
  async function exrPreview(bytes: Buffer, name: string, widthPx: number): Promise<Buffer> {
    const which = createHash('sha256').update(bytes).digest('hex');
    const before = broken.get(which);
    if (before) throw before;
    try {
      return Buffer.from(await run({ what: 'preview', bytes, name, widthPx }));
    } catch (error) {
      // what took too long may have met a busy machine, and is tried again
      if (error instanceof ApiProblem && error.code === 'UNREADABLE_FILE') {
        if (broken.size >= MOST_REMEMBERED) broken.delete(broken.keys().next().value!);
        broken.set(which, error);
      }
      throw error;
    }
  }
  return {
    preview: async (bytes, name, widthPx) => (isExr(bytes) ? exrPreview(bytes, name, widthPx) : previewJpeg(bytes, name, widthPx)),
    tracks: (file, name) => run({ what: 'tracks', file, name }),
    handover: (file, name) => run({ what: 'handover', file, name }),
    stMap: (asked) => run({ what: 'stMap', ...asked }),
    stop: async () => void (await Promise.all([...pools.values()].map((pool) => pool.destroy()))),
  };
}
