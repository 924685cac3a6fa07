import { perform, type Answers, type Task } from './tasks';

export type { Refit } from './tasks';

/** Where the build puts the worker; the same file for all who ask. */
const ADDRESS = '/workers/heavy.js';

interface Waiting {
  resolve: (answer: never) => void;
  reject: (error: Error) => void;
}
let worker: Worker | null = null;
const waiting = new Map<number, Waiting>();
let last = 0;

/**
 * Does a computation off the page's own thread, so that nothing stutters under the finger. Where a browser has no workers it is done here.
 * @throws Error with the core's words when the input cannot be used
 */
export async function inWorker<K extends Task['kind']>(task: Extract<Task, { kind: K }>): Promise<Answers[K]> {
  if (typeof Worker === 'undefined') return perform(task);
  worker ??= start();
  const id = (last += 1);
  return new Promise<Answers[K]>((resolve, reject) => {
    waiting.set(id, { resolve: resolve as (answer: never) => void, reject });
    worker!.postMessage({ id, task });
  });
}

function start(): Worker {
  const made = new Worker(ADDRESS);
  made.onmessage = ({ data }: MessageEvent<{ id: number; answer?: never; error?: { message: string } }>) => {
    const asked = waiting.get(data.id);
    waiting.delete(data.id);
    if (data.error) asked?.reject(new Error(data.error.message));
    else asked?.resolve(data.answer as never);
  };
  made.onerror = () => {
    // a worker that cannot be loaded or ran out of memory: the next question starts a new one
    for (const asked of waiting.values()) asked.reject(new Error('The computation could not run on this device. The picture is safe.'));
    waiting.clear();
    made.terminate();
    worker = null;
  };
  return made;
}
