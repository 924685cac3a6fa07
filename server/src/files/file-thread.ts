import { isExr, previewJpeg } from '@mesure/formats/picture';
import Piscina from 'piscina';
import { ApiProblem } from '../http/problem';
import type { ThreadAnswer, ThreadTask, ThreadTasks } from './in-thread';

export interface FileThread {
  /** a JPEG of a picture, at most so wide. @throws FormatError, ApiProblem */
  preview(bytes: Buffer, name: string, widthPx: number): Promise<Buffer>;
  /** how many tracks over how many frames a file holds. @throws ApiProblem UNREADABLE_FILE where it holds none */
  tracks(file: string, name: string): Promise<ThreadTasks['tracks']['made']>;
  stop(): Promise<void>;
}

/** What one file may take: it ends the thread, and nobody else's request. */
const MEMORY_MB = 1200;
const TIME_MS = 120_000;

/**
 * Files that are read in plain code: large ones take seconds, which would hold up everybody else's requests, and some are made to take more memory
 * than there is. They go to a thread that comes with the first and ends a minute after the last. (The picture library decodes in threads of its own.)
 */
export function openFileThread(threadFile: string): FileThread {
  let pool: Piscina<ThreadTask, ThreadAnswer> | null = null;
  async function run<K extends keyof ThreadTasks>(task: ThreadTask & { what: K }): Promise<ThreadTasks[K]['made']> {
    pool ??= new Piscina({ filename: threadFile, minThreads: 0, maxThreads: 1, idleTimeout: 60_000, resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB } });
    let answer: ThreadAnswer;
    try {
      answer = await pool.run(task, { signal: AbortSignal.timeout(TIME_MS) });
    } catch (error) {
      const code = (error as NodeJS.ErrnoException).code;
      if (code === 'ERR_WORKER_OUT_OF_MEMORY') throw new ApiProblem('TOO_LARGE', `${task.name} needs more memory than one file may take.`);
      if ((error as Error).name === 'AbortError') throw new ApiProblem('TOO_LARGE', `${task.name} takes longer to read than one file may.`);
      throw error;
    }
    if ('fault' in answer) throw new ApiProblem('UNREADABLE_FILE', answer.fault);
    return answer.made as ThreadTasks[K]['made'];
  }
  return {
    preview: async (bytes, name, widthPx) => (isExr(bytes) ? Buffer.from(await run({ what: 'preview', bytes, name, widthPx })) : previewJpeg(bytes, name, widthPx)),
    tracks: (file, name) => run({ what: 'tracks', file, name }),
    stop: async () => pool?.destroy(),
  };
}
