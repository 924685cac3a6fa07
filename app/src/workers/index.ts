import { perform, type Answers, type Task } from './tasks';

export { useAnswer } from './use-answer';

/** Where the build puts the worker; the same file for all who ask. */
const ADDRESS = '/workers/heavy.js';

interface Waiting {
  resolve: (answer: never) => void;
  reject: (error: Error) => void;
  onProgress?: (share: number) => void;
}
interface Message {
  id: number;
  answer?: never;
  progress?: number;
  error?: { message: string };
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
  worker ??= start(waiting, () => (worker = null));
  const id = (last += 1);
  return new Promise<Answers[K]>((resolve, reject) => {
    waiting.set(id, { resolve: resolve as (answer: never) => void, reject });
    worker!.postMessage({ id, task });
  });
}

/** What was asked was stopped by the person who asked. */
export class Stopped extends Error {}

/**
 * A long computation in a worker of its own, so that it can be stopped and nothing waits behind it.
 * The answer rejects with `Stopped` when it is stopped.
 */
export function longInWorker<K extends Task['kind']>(task: Extract<Task, { kind: K }>, onProgress: (share: number) => void): { answer: Promise<Answers[K]>; stop: () => void } {
  if (typeof Worker === 'undefined') return { answer: Promise.resolve().then(() => perform(task, onProgress)), stop: () => undefined };
  const own = new Map<number, Waiting>();
  const made = start(own, () => undefined);
  const end = () => {
    made.terminate();
    own.clear();
  };
  let stop: () => void = end;
  const answer = new Promise<Answers[K]>((resolve, reject) => {
    own.set(0, { resolve: resolve as (answer: never) => void, reject, onProgress });
    stop = () => {
      end();
      reject(new Stopped('stopped'));
    };
    made.postMessage({ id: 0, task });
  });
  answer.then(end, end);
  return { answer, stop };
}

function start(asked: Map<number, Waiting>, onGone: () => void): Worker {
  const made = new Worker(ADDRESS);
  made.onmessage = ({ data }: MessageEvent<Message>) => {
    const one = asked.get(data.id);
    if (data.progress !== undefined) {
      one?.onProgress?.(data.progress);
      return;
    }
    asked.delete(data.id);
    if (data.error) one?.reject(new Error(data.error.message));
    else one?.resolve(data.answer as never);
  };
  made.onerror = () => {
    // a worker that cannot be loaded or ran out of memory: the next question starts a new one
    for (const one of asked.values()) one.reject(new Error('The computation could not run on this device. What you entered is safe.'));
    asked.clear();
    made.terminate();
    onGone();
  };
  return made;
}
