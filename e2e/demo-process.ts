import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';

export const ROOT = path.resolve(__dirname, '..');

export interface Running {
  address: string;
  dataDir: string;
  pid: number;
  readySeconds: number;
  output: string;
}

/** Starts a command of bin/ as a person would and waits for its address. */
export async function start(command: 'bin/demo' | 'bin/serve', dataDir: string, args: string[] = []): Promise<Running> {
  const began = Date.now();
  const child: ChildProcess = spawn(path.join(ROOT, command), args, { env: { ...process.env, MESURE_DATA_DIR: dataDir }, stdio: ['ignore', 'pipe', 'pipe'], detached: true });
  let output = '';
  child.stdout!.on('data', (d: Buffer) => (output += d.toString()));
  child.stderr!.on('data', (d: Buffer) => (output += d.toString()));
  for (;;) {
    const address = /Address\s+(https?:\S+)/.exec(output)?.[1];
    if (address && output.includes('Ctrl-C')) {
      child.unref();
      return { address, dataDir, pid: child.pid!, readySeconds: (Date.now() - began) / 1000, output };
    }
    if (child.exitCode !== null || Date.now() - began > 600_000) throw new Error(`${command} did not start:\n${output}`);
    await new Promise((r) => setTimeout(r, 100));
  }
}

/** Runs a command of bin/ to its end; what it says, and its exit code. */
export function runToEnd(command: string, args: string[], dataDir: string): { out: string; code: number | null } {
  const r = spawnSync(path.join(ROOT, command), args, { env: { ...process.env, MESURE_DATA_DIR: dataDir }, encoding: 'utf8', timeout: 300_000 });
  return { out: r.stdout + r.stderr, code: r.status };
}

/** Ctrl-C, and waits until the process is gone. */
export async function stopDemo(pid: number): Promise<void> {
  const alive = () => {
    try {
      process.kill(pid, 0);
      return !readFileSync(`/proc/${pid}/stat`, 'utf8').includes(') Z ');
    } catch {
      return false;
    }
  };
  if (alive()) process.kill(pid, 'SIGINT');
  for (let i = 0; i < 200 && alive(); i += 1) await new Promise((r) => setTimeout(r, 100));
}

/** Kills the web process of the running demo as a fault would: at once, without a word. */
export function killWeb(dataDir: string): void {
  for (const pid of readdirSync('/proc').filter((name) => /^\d+$/.test(name))) {
    try {
      if (!readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('.build/web.mjs')) continue;
      if (readFileSync(`/proc/${pid}/environ`, 'utf8').split('\0').includes(`MESURE_DATA_DIR=${dataDir}`)) process.kill(Number(pid), 'SIGKILL');
    } catch {
      // a process that is gone, or another person's
    }
  }
}
