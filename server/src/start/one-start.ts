import { closeSync, existsSync, mkdirSync, openSync, readFileSync, rmSync, writeFileSync, writeSync } from 'node:fs';
import path from 'node:path';

interface Note {
  pid: number;
  address: string | null;
}

/** Said when another start holds the folder: the second one's end would take the database from under the first. */
export class AlreadyRunning extends Error {
  constructor(readonly note: Note) {
    super(note.address ? `Mesure runs here already, at ${note.address} (process ${note.pid}).` : `Mesure is being started here already (process ${note.pid}).`);
  }
}

/** Takes the folder for this process. What a killed start left behind does not count. */
export function oneStart(dataDir: string) {
  mkdirSync(dataDir, { recursive: true });
  const file = path.join(dataDir, 'running.json');
  for (let tries = 0; ; tries += 1) {
    try {
      const fd = openSync(file, 'wx', 0o600);
      writeSync(fd, JSON.stringify({ pid: process.pid, address: null } satisfies Note));
      closeSync(fd);
      break;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST' || tries > 3) throw error;
      const note = readNote(file);
      if (note && isAlive(note.pid)) throw new AlreadyRunning(note);
      rmSync(file, { force: true });
    }
  }
  return {
    at: (address: string) => writeFileSync(file, JSON.stringify({ pid: process.pid, address } satisfies Note)),
    release: () => {
      if (readNote(file)?.pid === process.pid) rmSync(file, { force: true });
    },
  };
}

function readNote(file: string): Note | null {
  try {
    return existsSync(file) ? (JSON.parse(readFileSync(file, 'utf8')) as Note) : null;
  } catch {
    return null;
  }
}

/** A start of ours and not another process that got the number since. */
function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EPERM') return false;
  }
  try {
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('serve.mjs');
  } catch {
    // no /proc: better to refuse than to take the folder away
    return true;
  }
}
