import { createHash } from 'node:crypto';
import { READERS, type LeftSolve } from './readers';

export interface CheckedFile {
  path: string;
  /** `changed`: other bytes than were handed over; `wrong`: what it says does not hold together */
  status: 'good' | 'changed' | 'missing' | 'unlisted' | 'wrong';
  message: string;
}
export interface HandoverEntries {
  names: readonly string[];
  read(name: string): Promise<Buffer>;
}

const LIST = 'MANIFEST.sha256';

/**
 * A handover as whoever receives it can check it: every file is there, is what it was when it left, can be read, and says what the others say.
 * Reads one file at a time.
 */
export async function checkHandover(entries: HandoverEntries): Promise<CheckedFile[]> {
  if (!entries.names.includes(LIST)) return [{ path: LIST, status: 'missing', message: 'this is no handover: it has no list of its files' }];
  const listed = new Map<string, string>();
  for (const [i, line] of (await entries.read(LIST)).toString('utf8').split('\n').entries()) {
    if (line === '') continue;
    const found = /^([0-9a-f]{64}) [ *](.+)$/.exec(line);
    if (!found) return [{ path: LIST, status: 'wrong', message: `line ${i + 1} is no SHA-256 with a path` }];
    listed.set(found[2], found[1]);
  }
  const checked: CheckedFile[] = [];
  for (const name of entries.names) {
    if (name === LIST) continue;
    const sha256 = listed.get(name);
    if (sha256 === undefined) {
      checked.push({ path: name, status: 'unlisted', message: 'is not in the list: it was not handed over' });
      continue;
    }
    const bytes = await entries.read(name);
    if (createHash('sha256').update(bytes).digest('hex') !== sha256) checked.push({ path: name, status: 'changed', message: 'is not what was handed over' });
    else checked.push(await contentOf(name, bytes, entries));
  }
  for (const name of listed.keys()) if (!entries.names.includes(name)) checked.push({ path: name, status: 'missing', message: 'is in the list and not in the zip' });
  return checked;
}

async function contentOf(path: string, bytes: Buffer, entries: HandoverEntries): Promise<CheckedFile> {
  try {
    const reader = READERS.find((r) => r.reads.test(path));
    if (!reader) return { path, status: 'good', message: 'is what was handed over' };
    const said = await reader.check(bytes, () => solveBeside(path, entries));
    return { path, status: 'good', message: said };
  } catch (error) {
    return { path, status: 'wrong', message: error instanceof Error ? error.message : String(error) };
  }
}

/** The solve of the folder that a file lies in; null where there is none. */
async function solveBeside(path: string, entries: HandoverEntries): Promise<LeftSolve | null> {
  const folder = path.replace(/[^/]*$/, '');
  // a receiver may want the take's name before that of each file
  const beside = entries.names.find((n) => n.startsWith(folder) && /^([^/]+_)?solve\.json$/.test(n.slice(folder.length)));
  return beside === undefined ? null : (JSON.parse((await entries.read(beside)).toString('utf8')) as LeftSolve);
}
