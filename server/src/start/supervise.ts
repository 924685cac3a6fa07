import { spawn, type ChildProcess } from 'node:child_process';

/** What a thing that ended by itself waits before it is started again: longer the more often it ended of late, and never given up. */
export const SHORTEST_WAIT_MS = 300;
export const LONGEST_WAIT_MS = 30_000;
/** One end is forgotten in so long. */
const FORGET_MS = 60_000;

/** Back-off by rate: the count of ends fades with time, so that a process that ends once a day starts at once each time. */
export function backOff(now: () => number = Date.now) {
  let ends = 0;
  let last = now();
  return {
    next(): number {
      const t = now();
      ends = Math.max(0, ends - (t - last) / FORGET_MS) + 1;
      last = t;
      return Math.min(LONGEST_WAIT_MS, SHORTEST_WAIT_MS * 2 ** (ends - 1));
    },
  };
}

export interface Supervised {
  name: string;
  file: string;
  env: NodeJS.ProcessEnv;
}

/** Keeps processes running until `stop`. */
export function superviseProcesses(all: readonly Supervised[], say: (text: string) => void) {
  const running = new Set<ChildProcess>();
  let ending = false;
  for (const one of all) {
    const wait = backOff();
    const start = () => {
      if (ending) return;
      const child = spawn(process.execPath, ['--enable-source-maps', one.file], { stdio: ['ignore', 'inherit', 'inherit'], env: one.env, detached: true });
      running.add(child);
      child.on('exit', (code, signal) => {
        running.delete(child);
        if (ending) return;
        const ms = wait.next();
        say(`The ${one.name} process ended (${code ?? signal}); it is started again in ${(ms / 1000).toFixed(1)} s.`);
        setTimeout(start, ms);
      });
    };
    start();
  }
  return {
    async stop(): Promise<void> {
      ending = true;
      await Promise.all(
        [...running].map(
          (child) =>
            new Promise<void>((resolve) => {
              if (child.exitCode !== null || child.signalCode !== null) return resolve();
              child.once('exit', () => resolve());
              child.kill('SIGTERM');
              setTimeout(() => child.kill('SIGKILL'), 8000).unref();
            }),
        ),
      );
    },
  };
}

/** Looks at a database server of our own every so often, and starts it again on the port that it had. */
export function superviseCluster(cluster: { alive(): boolean; startAgain(): Promise<void> }, say: (text: string) => void, everyMs = 1000) {
  const wait = backOff();
  let notBefore = 0;
  let busy = false;
  const timer = setInterval(() => {
    if (busy || Date.now() < notBefore || cluster.alive()) return;
    busy = true;
    say('The database server ended; it is started again.');
    void cluster
      .startAgain()
      .catch((error: unknown) => say(String(error instanceof Error ? error.message : error)))
      .finally(() => {
        notBefore = Date.now() + wait.next();
        busy = false;
      });
  }, everyMs);
  return { stop: () => clearInterval(timer) };
}
