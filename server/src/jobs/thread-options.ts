import Piscina from 'piscina';

/**
 * How the threads of this server begin. Their program is an ES module, which the pool would first try to `require`: a thread that is ended in the
 * middle of that takes its whole process along ("IsGraphAsync must be used on an instantiated module", Node.js 20). Without that way it is imported.
 */
export const THREAD = {
  execArgv: [...process.execArgv, '--no-experimental-require-module'],
  // empty and not missing: the TIFF writer's dependency looks into it
  workerData: {},
};

/** So many threads of one program, begun when there is work for them; they stay for a minute without any, since a new one begins slowly. */
export const threadsOf = (program: string, count: number): Piscina => new Piscina({ filename: program, ...THREAD, minThreads: 0, maxThreads: count, idleTimeout: 60_000 });
