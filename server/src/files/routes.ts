import type { UploadedFile } from '@mesure/contract';
import { readTracksCsv } from '@mesure/formats';
import { inspectPicture, MAX_PICTURE_PIXELS } from '@mesure/formats/picture';
import { mkdirSync } from 'node:fs';
import { readFile, rm } from 'node:fs/promises';
import path from 'node:path';
import { Router } from 'express';
import multer from 'multer';
import sharp from 'sharp';
import type { ServerConfig } from '../config';
import type { Database } from '../db/connect';
import { viewerOf } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { FileStore } from './store';

const TRACKS_MAX_BYTES = 200 * 1024 * 1024;
const PREVIEW_WIDTHS = [640, 1280, 2048];

export function fileRoutes(db: Database, store: FileStore, config: ServerConfig): Router {
  const router = Router({ mergeParams: true });
  const incoming = path.join(config.dataDir, 'incoming');
  mkdirSync(incoming, { recursive: true });
  const upload = multer({ dest: incoming, limits: { fileSize: config.maxUploadBytes, files: 1, fields: 4 } });

  router.post('/', upload.single('file'), async (req, res) => {
    const file = req.file;
    if (!file) throw new ApiProblem('INVALID', 'The request holds no file.', { fields: [{ field: 'file', message: 'is missing' }] });
    try {
      const use = (req.body as { use?: string }).use;
      const name = safeName(file.originalname);
      const facts = use === 'plate' ? await plateFacts(file.path, name) : use === 'tracks' ? await tracksFacts(file.path, file.size, name) : null;
      if (!facts) throw new ApiProblem('INVALID', 'use must be plate or tracks', { fields: [{ field: 'use', message: 'must be plate or tracks' }] });
      const sha256 = await store.put(file.path);
      const { productionId } = viewerOf(req);
      await db.StoredFile.upsert({ productionId, sha256, name, sizeBytes: file.size, ...facts });
      const answer: UploadedFile = { sha256, name, sizeBytes: file.size, ...facts };
      res.status(201).json(answer);
    } finally {
      await rm(file.path, { force: true });
    }
  });

  router.get('/:sha256/preview', async (req, res) => {
    const file = await mine(req.params.sha256, viewerOf(req).productionId);
    if (!file.mime.startsWith('image/')) throw new ApiProblem('NOT_FOUND', 'This file has no picture.');
    const wanted = Number(req.query.width ?? 1280);
    const width = PREVIEW_WIDTHS.find((w) => w >= wanted) ?? PREVIEW_WIDTHS[PREVIEW_WIDTHS.length - 1];
    const bytes = await sharp(await store.read(file.sha256), { limitInputPixels: MAX_PICTURE_PIXELS })
      .autoOrient()
      .resize({ width, withoutEnlargement: true })
      .toColourspace('srgb')
      .jpeg({ quality: 82 })
      .toBuffer();
    res.set('Cache-Control', 'private, max-age=31536000, immutable').type('image/jpeg').send(bytes);
  });

  async function mine(sha256: string, productionId: string) {
    const file = await db.StoredFile.findOne({ where: { sha256, productionId } });
    if (!file) throw new ApiProblem('NOT_FOUND', 'There is no such file.');
    return file;
  }
  return router;
}

/** The last part of the name, without anything that a file system or a header could trip over. */
export function safeName(name: string): string {
  const last = Buffer.from(name, 'latin1').toString('utf8').split(/[\\/]/).pop() ?? '';
  const clean = last
    .replace(/[^\p{L}\p{N}._ -]/gu, '_')
    .replace(/^\.+/, '')
    .trim()
    .slice(-120);
  return clean === '' ? 'file' : clean;
}

async function plateFacts(file: string, name: string) {
  const info = await inspectPicture(file, name);
  return { mime: info.mime, widthPx: info.widthPx, heightPx: info.heightPx };
}

async function tracksFacts(file: string, size: number, name: string) {
  if (size > TRACKS_MAX_BYTES) throw new ApiProblem('TOO_LARGE', `${name} is larger than tracks may be.`);
  const bytes = await readFile(file);
  if (bytes.includes(0)) throw new ApiProblem('UNREADABLE_FILE', `${name} is not a text file; tracks are CSV with track,frame,x,y.`);
  readTracksCsv(bytes.toString('utf8'), name);
  return { mime: 'text/csv', widthPx: null, heightPx: null };
}
