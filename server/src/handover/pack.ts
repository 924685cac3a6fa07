import type { HandoverPlan } from '@mesure/contract';
import archiver from 'archiver';
import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import type { Writable } from 'node:stream';
import path from 'node:path';
import type { FileStore } from '../files/store';
import type { Handover, HandoverFile } from './plan';

/** A file that is ready to leave: where its bytes lie, and what they are. */
interface Ready {
  path: string;
  sha256: string;
  /** a file of this machine; null: in the store, under its own hash */
  at: string | null;
}

/** Path by path what a day held when it was handed over, as `sha256sum` writes and checks it. */
export const manifestText = (files: readonly { path: string; sha256: string }[]): string => files.map((f) => `${f.sha256}  ${f.path}\n`).join('');
export const readManifest = (text: string): Map<string, string> =>
  new Map(
    text
      .split('\n')
      .filter((l) => l !== '')
      .map((l) => [l.slice(66), l.slice(0, 64)]),
  );

/** These tell of the moment at which they were made: they leave with every handover and are never "changed". */
const OF_THE_MOMENT = new Set(['report.html', 'report.pdf', 'CONTENTS.txt', 'MANIFEST.sha256']);

/** Before the first byte leaves: what the store has lost is listed as missing, instead of breaking the zip off half-way. */
export async function withoutLost(plan: Handover, store: FileStore): Promise<Handover> {
  const files: HandoverFile[] = [];
  const missing = [...plan.missing];
  for (const file of plan.files) {
    if (!file.stored || (await store.has(file.stored))) files.push(file);
    else missing.push({ code: `file ${file.path}`, until: 'gone', takeId: null, take: file.path, what: `the file itself, which was given and is lost: ${file.what}`, answer: null });
  }
  return { ...plan, files, missing };
}

export interface Packed {
  /** the whole day, also where only what is new left */
  all: readonly { path: string; sha256: string }[];
  /** how many files went into the zip */
  left: number;
  /** without the zip's own table at its end */
  sizeBytes: number;
}

/**
 * Packs a day as one zip. All that is made is made before the first byte leaves, on disk and one at a time, so that a file that cannot be made is
 * an answer and not a broken zip, and a day of any size fits into memory.
 * @param before manifest of the handover that this one adds to: only what is new or other leaves, and what is gone is named
 * @param madeFor lines that say for whom it was made, and what is other for him
 * @param keep is called when all files have left and before the zip is closed: what it throws breaks the zip off; not when the receiver went away
 */
export async function packZip(
  out: Writable,
  plan: Handover,
  store: FileStore,
  before: { words: string; manifest: Map<string, string> } | null,
  keep: (packed: Packed) => Promise<void>,
  madeFor: readonly string[] = [],
): Promise<void> {
  const dir = await mkdtemp(path.join(os.tmpdir(), 'mesure-handover-'));
  try {
    const ready = await makeAll(plan.files, dir);
    const leaving = before ? ready.filter((f) => OF_THE_MOMENT.has(f.path) || before.manifest.get(f.path) !== f.sha256) : ready;
    const gone = before ? [...before.manifest.keys()].filter((p) => !OF_THE_MOMENT.has(p) && !ready.some((f) => f.path === p)) : [];
    const text = contents(plan, leaving, before ? { words: before.words, gone } : null, madeFor);
    const listed = [...leaving, { path: 'CONTENTS.txt', sha256: hashOf(text), at: null }];
    const zip = archiver('zip', { zlib: { level: 6 } });
    let broken = false;
    zip.on('error', (error) => {
      broken = true;
      out.destroy(error);
    });
    const closed = new Promise<'gone'>((went) => out.once('close', () => went('gone')));
    out.on('close', () => zip.abort());
    zip.pipe(out);
    zip.append(text, { name: 'CONTENTS.txt' });
    zip.append(manifestText(listed), { name: 'MANIFEST.sha256' });
    if (!(await appendAll(zip, leaving, store, closed)) || broken) return;
    try {
      await keep({ all: ready, left: listed.length + 1, sizeBytes: zip.pointer() });
    } catch (error) {
      zip.emit('error', error as archiver.ArchiverError);
      return;
    }
    await zip.finalize();
  } finally {
    await rm(dir, { recursive: true, force: true });
  }
}

const hashOf = (bytes: Uint8Array | string): string => createHash('sha256').update(bytes).digest('hex');

async function makeAll(files: readonly HandoverFile[], dir: string): Promise<Ready[]> {
  const ready: Ready[] = [];
  for (const file of files) {
    if (file.stored) {
      ready.push({ path: file.path, sha256: file.stored, at: null });
      continue;
    }
    const bytes = await file.make();
    const at = path.join(dir, String(ready.length));
    await writeFile(at, bytes);
    ready.push({ path: file.path, sha256: hashOf(bytes), at });
  }
  return ready;
}

/** One file in memory at a time. What cannot be read breaks the zip off, so that it is not taken for whole. */
async function appendAll(zip: archiver.Archiver, files: readonly Ready[], store: FileStore, closed: Promise<'gone'>): Promise<boolean> {
  const written = new Map<string, () => void>();
  zip.on('entry', ({ name }) => written.get(name)?.());
  for (const { path: name, sha256, at } of files) {
    try {
      const bytes = at === null ? await store.read(sha256) : createReadStream(at);
      const done = new Promise<void>((resolve) => written.set(name, resolve));
      // pictures are packed already
      zip.append(bytes, { name, store: at === null });
      if ((await Promise.race([done, closed])) === 'gone') return false;
    } catch (error) {
      zip.emit('error', error as archiver.ArchiverError);
      return false;
    }
  }
  return true;
}

function contents(
  { files, missing, closed, changedAfterClose }: Pick<HandoverPlan, 'files' | 'missing' | 'closed' | 'changedAfterClose'>,
  leaving: readonly Ready[],
  supplement: { words: string; gone: string[] } | null,
  madeFor: readonly string[],
): string {
  const of = new Map(files.map((f) => [f.path, f]));
  return [
    ...madeFor,
    `World${madeFor.length > 1 ? ', where nothing else is said' : ''}: right-handed, Y up, metres. Camera looks along -Z. Rotations are unit quaternions x y z w, camera to world.`,
    'Pixels: origin at the top-left corner of the top-left pixel, y down. Standard deviations are one sigma.',
    'A file with "unscaled" in its name is in a unit of its own, not metres; one with "partial" holds a part of the take.',
    'MANIFEST.sha256 lists every file with its SHA-256; sha256sum -c MANIFEST.sha256 checks them.',
    'In tables, a text that a spreadsheet would run as a formula has an apostrophe before it that is not part of it.',
    closed ? `The day was closed by ${closed.by}, ${closed.at}.` : 'The day is not closed.',
    ...(changedAfterClose.length > 0 ? ['Changed after it was closed:', ...changedAfterClose.map((c) => `  ${c.when}  ${c.who}  ${c.what}`)] : []),
    ...(supplement
      ? ['', `A supplement to ${supplement.words}: what is new or other since then.`, ...(supplement.gone.length > 0 ? ['No longer part of the day:', ...supplement.gone.map((p) => `  ${p}`)] : [])]
      : []),
    '',
    'Files',
    ...leaving.map((f) => `  ${f.path}  ${of.get(f.path)?.what ?? ''} (${of.get(f.path)?.readWith ?? ''})`),
    '',
    missing.length > 0 ? 'Missing' : 'Nothing is missing.',
    ...missing.map((m) => `  ${m.take}: ${m.what}${m.answer ? ` (cannot be had: ${m.answer.reason}, ${m.answer.by})` : ''}`),
    '',
  ].join('\n');
}
