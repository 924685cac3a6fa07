import { spawnSync } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { start, stopDemo, type Running } from './demo-process';

/**
 * The demo is loaded once a run and copied for each group of tests that needs one, so that groups run beside each other and what one of them
 * changes is never seen by another. Notes of what runs lie beside the copies: a worker that begins anew after a failed test finds them.
 */
const DIR = 'MESURE_E2E_DIR';
const dir = (): string => process.env[DIR]!;
const note = (name: string): string => path.join(dir(), `${name}.json`);
const read = (name: string): Running => JSON.parse(readFileSync(note(name), 'utf8')) as Running;

/** Written aside and put in its place whole: who looks sees all of it or none. */
export function remember(name: string, running: Running): void {
  writeFileSync(`${note(name)}.new`, JSON.stringify(running));
  renameSync(`${note(name)}.new`, note(name));
}

export function makePlace(): void {
  process.env[DIR] = mkdtempSync(path.join(os.tmpdir(), 'mesure-e2e-'));
  // the database's own user goes through it
  chmodSync(dir(), 0o755);
}

/** The demo of this group of tests, as it runs; started from a copy of the first one when nobody did so before. */
export async function demoOf(name: string): Promise<Running> {
  if (existsSync(note(name))) return read(name);
  const first = await firstDemo();
  const dataDir = path.join(dir(), name, 'data');
  mkdirSync(path.dirname(dataDir), { recursive: true });
  const copied = spawnSync('cp', ['-a', first.dataDir, dataDir], { encoding: 'utf8' });
  if (copied.status !== 0) throw new Error(`The demo could not be copied: ${copied.stderr}`);
  const running = { ...(await start('bin/demo', dataDir)), readySeconds: first.readySeconds };
  remember(name, running);
  return running;
}

/** Loaded and ended again; of two groups that need it at once the second one waits for it. */
async function firstDemo(): Promise<Running> {
  const taken = path.join(dir(), 'first');
  try {
    mkdirSync(taken);
  } catch {
    for (let waitedMs = 0; !existsSync(note('first')); waitedMs += 500) {
      if (waitedMs > 600_000 || existsSync(note('failed'))) throw new Error('The demo could not be loaded; the group that did it says why.');
      await new Promise((r) => setTimeout(r, 500));
    }
    return read('first');
  }
  try {
    const running = await start('bin/demo', path.join(taken, 'data'));
    await stopDemo(running.pid);
    remember('first', running);
    return running;
  } catch (error) {
    writeFileSync(note('failed'), String(error));
    throw error;
  }
}

/** Ends all that were started, and takes their folders away. */
export async function endAll(): Promise<void> {
  if (!process.env[DIR]) return;
  const names = readdirSync(dir()).filter((f) => f.endsWith('.json') && !['first.json', 'failed.json'].includes(f));
  for (const name of names) await stopDemo(read(name.replace(/\.json$/, '')).pid);
  rmSync(dir(), { recursive: true, force: true });
}
