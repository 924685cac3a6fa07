import { isExr, previewJpeg } from '@mesure/formats/picture';
import Piscina from 'piscina';
import { ApiProblem } from '../http/problem';
import type { ThreadAnswer, ThreadTask, ThreadTasks } from './in-thread';

export interface FileThread {
  /** a JPEG of a picture, at most so wide. @throws FormatError, ApiProblem */
  preview(bytes: Buffer, name: string, widthPx: number): Promise<Buffer>;
  /** how many tracks over how many frames a file holds. @throws ApiProblem UNREADABLE_FILE where it holds none */
  tracks(file: string, name: string): Promise<ThreadTasks['tracks']['made']>;
  /** an ST map of a lens, as the bytes of its file */
  stMap(asked: ThreadTasks['stMap']['asked']): Promise<Uint8Array>;
  stop(): Promise<void>;
}

/** What one file may take: it ends the thread, and nobody else's request. */
const MEMORY_MB = 1200;
/** Somebody waits for a preview; a map of a large picture is written for a minute. */
const TIME_MS = { quick: 120_000, long: 900_000 };

/**
 * Files that are read or written in plain code: large ones take seconds, which would hold up everybody else's requests, and some are made to take
 * more memory than there is. They go to a thread that comes with the first and ends a minute after the last; what takes long has one of its own, so
 * that nobody's preview waits behind it. (The picture library decodes in threads of its own.)
 */
export function openFileThread(threadFile: string): FileThread {
  const pools = new Map<keyof typeof TIME_MS, Piscina<ThreadTask, ThreadAnswer>>();
  const poolOf = (lane: keyof typeof TIME_MS) => {
    let pool = pools.get(lane);
    // the writer of TIFF looks into the data that its thread was begun with, and there must be some
    if (!pool)
      pools.set(lane, (pool = new Piscina({ filename: threadFile, workerData: {}, minThreads: 0, maxThreads: 1, idleTimeout: 60_000, resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB } })));
    return pool;
  };
  async function run<K extends keyof ThreadTasks>(task: ThreadTask & { what: K }, lane: keyof typeof TIME_MS = 'quick'): Promise<ThreadTasks[K]['made']> {
    let answer: ThreadAnswer;
    try {
      answer = await poolOf(lane).run(task, { signal: AbortSignal.timeout(TIME_MS[lane]) });
    } catch (error) {
      const code = (error as NodeJS.ErrnoException).code;
      if (code === 'ERR_WORKER_OUT_OF_MEMORY') throw new ApiProblem('TOO_LARGE', `${task.name} needs more memory than one file may take.`);
      if ((error as Error).name === 'AbortError') throw new ApiProblem('TOO_LARGE', `${task.name} takes longer than one file may.`);
      throw error;
    }
    if ('fault' in answer) throw new ApiProblem('UNREADABLE_FILE', answer.fault);
    return answer.made as ThreadTasks[K]['made'];
  }
  return {
    preview: async (bytes, name, widthPx) => (isExr(bytes) ? Buffer.from(await run({ what: 'preview', bytes, name, widthPx })) : previewJpeg(bytes, name, widthPx)),
    tracks: (file, name) => run({ what: 'tracks', file, name }),
    stMap: (asked) => run({ what: 'stMap', ...asked }, 'long'),
    stop: async () => void (await Promise.all([...pools.values()].map((pool) => pool.destroy()))),
  };
}
