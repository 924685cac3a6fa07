import { cursorSchema } from '@mesure/contract/schemas';
import { clipFrameJpeg } from '@mesure/formats/picture';
import { sequenceFrameJpeg } from '@mesure/formats/sequence';
import type { Response } from 'express';
import path from 'node:path';
import type { ServerConfig } from '../config';
import type { Database } from '../db/connect';
import { viewerOf } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { Route } from '../http/route';
import { must, param } from '../http/validate';
import { safeName, LARGE_USES, USES, SEQUENCE } from './accept';
import type { FileThread } from './file-thread';
import { spaceOf } from './space';
import type { FileStore } from './store';
import { partsOf } from './storage';
import { databaseLocker } from './upload-lock';
import { resumableUploads, sizeOf } from './uploads';

/** enough to see a clap close on a phone */
const FRAME_WIDTH_PX = 960;
/** the widest is for a loupe */
const SWEEP_MS = 3_600_000;
const PREVIEW_WIDTHS = [640, 1280, 2048, 4096];

/** A file of any size, in parts where somebody asks for parts: a download that was cut goes on where it stopped. */
function sendWhole(res: Response, at: string): Promise<void> {
  return new Promise((resolve, reject) => {
    res.sendFile(at, { dotfiles: 'allow', cacheControl: false, lastModified: false }, (error: (Error & { code?: string }) | undefined) => {
      // who asked went away
      if (!error || error.code === 'ECONNABORTED' || error.code === 'EPIPE') resolve();
      else reject(error);
    });
  });
}

export function fileRoutes(db: Database, store: FileStore, fileThread: FileThread, config: ServerConfig): Route[] {
  const dir = path.join(config.dataDir, 'incoming');
  const parts = partsOf(config);
  const space = spaceOf(db, dir, config.space, (upload) => parts.forget(upload));
  const uploads = resumableUploads({
    parts,
    locker: databaseLocker(db),
    space,
    maxBytes: (use) => (!Object.hasOwn(USES, use) ? null : LARGE_USES.has(use) ? Math.max(config.maxLargeUploadBytes, config.maxUploadBytes) : config.maxUploadBytes),
    uses: Object.keys(USES),
    async accept({ productionId }, temporaryFile, { name: claimed, use, atS }) {
      const kept = await USES[use](temporaryFile, safeName(claimed), atS, fileThread);
      const sizeBytes = await sizeOf(temporaryFile);
      const sha256 = await store.put(temporaryFile);
      const { clip, ...file } = kept;
      await db.StoredFile.upsert({ productionId, sha256, sizeBytes, ...file });
      return { sha256, sizeBytes, ...file, ...(clip ? { clip } : {}) };
    },
  });
  // at the start, and every hour of a server that runs for weeks
  const sweep = () => void uploads.sweep().catch(() => undefined);
  sweep();
  setInterval(sweep, SWEEP_MS).unref();
  return [
    {
      method: 'get',
      path: '/space',
      access: 'read',
      what: 'How much room the files of the production take, and how much there is.',
      handle: async (req, res) => void res.json(await space.of(viewerOf(req).productionId)),
    },
    { method: 'all', path: '/files/uploads', access: 'give', what: 'Begins an upload in pieces (tus 1.0).', handle: uploads.handle },
    { method: 'all', path: '/files/uploads/:upload', access: 'give', what: 'Goes on with an upload; its last piece is answered with what the file is.', handle: uploads.handle },
    {
      method: 'get',
      path: '/files/:sha256/preview',
      access: 'read',
      what: 'A picture at a width that a screen shows.',
      handle: async (req, res) => {
        const file = await mine(param(req, 'sha256'), viewerOf(req).productionId);
        if (!file.mime.startsWith('image/')) throw new ApiProblem('NOT_FOUND', 'This file has no picture.');
        const wanted = Number(req.query.width ?? 1280);
        const width = PREVIEW_WIDTHS.find((w) => w >= wanted) ?? PREVIEW_WIDTHS[PREVIEW_WIDTHS.length - 1];
        const bytes = await fileThread.preview(await store.read(file.sha256), file.name, width);
        res.set('Cache-Control', 'private, max-age=31536000, immutable').type('image/jpeg').send(bytes);
      },
    },

    {
      method: 'get',
      path: '/files/:sha256/frame',
      access: 'read',
      what: 'One frame of a clip.',
      handle: async (req, res) => {
        const file = await mine(param(req, 'sha256'), viewerOf(req).productionId);
        if (!file.mime.startsWith('video/') && file.mime !== SEQUENCE) throw new ApiProblem('NOT_FOUND', 'This file has no frames.');
        const frame = must(cursorSchema, Number(req.query.n)) as number;
        const bytes = await store.withFile(file.sha256, (path) => (file.mime === SEQUENCE ? sequenceFrameJpeg : clipFrameJpeg)(path, file.name, frame, FRAME_WIDTH_PX));
        res.set('Cache-Control', 'private, max-age=31536000, immutable').type('image/jpeg').send(bytes);
      },
    },

    {
      method: 'get',
      path: '/files/:sha256',
      access: 'read',
      what: 'A file as it was given.',
      handle: async (req, res) => {
        const file = await mine(param(req, 'sha256'), viewerOf(req).productionId);
        // never shown in the page: a file that somebody gave is only ever saved
        res
          .attachment(file.name)
          .type(file.mime)
          .set({ 'Cache-Control': 'private, max-age=31536000, immutable', ETag: `"${file.sha256}"` });
        await store.withFile(file.sha256, (at) => sendWhole(res, at));
      },
    },
  ];

  async function mine(sha256: string, productionId: string) {
    const file = await db.StoredFile.findOne({ where: { sha256, productionId } });
    if (!file) throw new ApiProblem('NOT_FOUND', 'There is no such file.');
    return file;
  }
}
