import { type HandoverPlan } from '@mesure/contract';
import archiver from 'archiver';
import type { Database } from '../db/connect';
import { viewerOf } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { FileStore } from '../files/store';
import type { Route } from '../http/route';
import { idParam } from '../http/validate';
import { planHandover, type Handover, type HandoverFile } from './plan';

export function handoverRoutes(db: Database, store: FileStore): Route[] {
  return [
    {
      method: 'get',
      path: '/days/:dayId',
      access: 'read',
      what: 'What a day hands over and what it still lacks.',
      handle: async (req, res) => {
        const plan = await planHandover(db, viewerOf(req).productionId, idParam(req, 'dayId'));
        const answer: HandoverPlan = {
          missing: plan.missing,
          files: plan.files.map(({ path, what, readWith }) => ({ path, what, readWith })),
          closed: plan.closed,
          changedAfterClose: plan.changedAfterClose,
        };
        res.json(answer);
      },
    },

    {
      method: 'get',
      path: '/days/:dayId/handover.zip',
      access: 'read',
      what: 'The handover of a day.',
      handle: async (req, res) => {
        const plan = await withoutLost(await planHandover(db, viewerOf(req).productionId, idParam(req, 'dayId')), store);
        if (plan.files.length === 0) throw new ApiProblem('NOT_READY', 'There is nothing to hand over yet: no take of this day has a solve, and nothing was measured.');
        // made before the first byte leaves, so that a file that cannot be made is an answer and not a broken zip
        const made = [];
        for (const file of plan.files) if (!file.stored) made.push({ ...file, bytes: Buffer.from(await file.make()) });
        const zip = archiver('zip', { zlib: { level: 6 } });
        res.attachment(`${plan.name}-handover.zip`);
        zip.on('error', (error) => res.destroy(error));
        res.on('close', () => zip.abort());
        zip.pipe(res);
        for (const file of made) zip.append(file.bytes, { name: file.path });
        zip.append(contents(plan), { name: 'CONTENTS.txt' });
        await appendPictures(zip, plan.files, store, new Promise((gone) => res.once('close', () => gone('gone'))));
        await zip.finalize();
      },
    },
  ];
}

/** Before the first byte leaves: what the store has lost is listed as missing, instead of breaking the zip off half-way. */
async function withoutLost(plan: Handover, store: FileStore): Promise<Handover> {
  const files: HandoverFile[] = [];
  const missing = [...plan.missing];
  for (const file of plan.files) {
    if (!file.stored || (await store.has(file.stored))) files.push(file);
    else missing.push({ takeId: null, take: file.path, what: `the picture itself, which was given and is lost: ${file.what}` });
  }
  return { ...plan, files, missing };
}

/** One picture in memory at a time: a day of stills is larger than the machine's. A file that cannot be read breaks the zip off, so that it is not taken for whole. */
async function appendPictures(zip: archiver.Archiver, files: readonly HandoverFile[], store: FileStore, closed: Promise<unknown>): Promise<void> {
  const written = new Map<string, () => void>();
  zip.on('entry', ({ name }) => written.get(name)?.());
  for (const { path, stored } of files) {
    if (!stored) continue;
    try {
      const bytes = await store.read(stored);
      const done = new Promise<void>((resolve) => written.set(path, resolve));
      zip.append(bytes, { name: path, store: true });
      if ((await Promise.race([done, closed])) === 'gone') return;
    } catch (error) {
      zip.emit('error', error as archiver.ArchiverError);
      return;
    }
  }
}

function contents({ files, missing, closed, changedAfterClose }: Pick<HandoverPlan, 'files' | 'missing' | 'closed' | 'changedAfterClose'>): string {
  return [
    'World: right-handed, Y up, metres. Camera looks along -Z. Rotations are unit quaternions x y z w, camera to world.',
    'Pixels: origin at the top-left corner of the top-left pixel, y down. Standard deviations are one sigma.',
    closed ? `The day was closed by ${closed.by}, ${closed.at}.` : 'The day is not closed.',
    ...(changedAfterClose.length > 0 ? ['Changed after it was closed:', ...changedAfterClose.map((c) => `  ${c.when}  ${c.who}  ${c.what}`)] : []),
    '',
    'Files',
    ...files.map((f) => `  ${f.path}  ${f.what} (${f.readWith})`),
    '',
    missing.length > 0 ? 'Missing' : 'Nothing is missing.',
    ...missing.map((m) => `  ${m.take}: ${m.what}`),
    '',
  ].join('\n');
}
