import { Metadata, Server, type Locker, type Upload } from '@tus/server';
import { randomUUID } from 'node:crypto';
import { rm, stat } from 'node:fs/promises';
import type { Request as ExpressRequest, Response as ExpressResponse } from 'express';
import type { UploadedFile } from '@mesure/contract';
import { viewerOf } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { UploadParts } from './parts';
import type { SpaceRoom } from './space';

/** An upload that nobody goes on with is thrown away after a week: a phone may be without a network for days. */
const KEPT_MS = 7 * 24 * 3600 * 1000;

interface Uploads {
  parts: UploadParts;
  locker: Locker;
  /** how large a file may be that is given for a use; null: there is no such use */
  maxBytes(use: string): number | null;
  /** what a file may be given for */
  uses: readonly string[];
  space: SpaceRoom;
  /** checks the whole file, keeps it, and says what it is; the temporary one is gone afterwards */
  accept(viewer: { productionId: string }, temporaryFile: string, claimed: { name: string; use: string; atS: number | null }): Promise<UploadedFile>;
}

/**
 * Uploads that go on where they were cut off (tus 1.0, an open protocol). The identity of an upload begins with its production and its
 * person, and nobody else can see it or go on with it. The last piece is answered with what the file is, or why it was not taken.
 */
export function resumableUploads({ parts, locker, maxBytes, uses, space, accept }: Uploads): { handle: (req: ExpressRequest, res: ExpressResponse) => Promise<void>; sweep(): Promise<void> } {
  const expressOf = (request: unknown) => (request as { runtime: { node: { req: ExpressRequest } } }).runtime.node.req;
  const owner = (req: ExpressRequest) => `${viewerOf(req).productionId}_${viewerOf(req).userId}_`;
  const most = Math.max(...uses.map((u) => maxBytes(u)!));
  const tooLarge = (limit: number) => new ApiProblem('TOO_LARGE', `The file is larger than the ${Math.floor(limit / 1e6)} MB that are taken; nothing was kept.`);
  // of one that goes on, what it was begun for was looked at then
  const limitOf = (request: { headers: Headers }): number => maxBytes(purposeOf(request.headers.get('upload-metadata'))) ?? most;
  // the package tells of what was given up when it has answered already, and who begins the next one at once would be told that there is no room
  const { datastore } = parts;
  const remove = datastore.remove.bind(datastore);
  datastore.remove = async (id) => {
    await remove(id);
    await space.end(id);
  };
  const server = new Server({
    path: '/uploads',
    datastore,
    locker,
    maxSize: (request) => limitOf(request),
    disableTerminationForFinishedUploads: true,
    allowedOrigins: [],
    namingFunction: (request) => owner(expressOf(request)) + randomUUID(),
    generateUrl: (request, { id }) =>
      `${expressOf(request)
        .originalUrl.replace(/[?#].*$/, '')
        .replace(/\/$/, '')}/${id}`,
    getFileIdFromRequest: (request) => /\/([0-9a-f_-]+)$/.exec(new URL(request.url).pathname)?.[1],
    async onIncomingRequest(request, id) {
      if (!id.startsWith(owner(expressOf(request)))) throw new ApiProblem('NOT_FOUND', 'There is no such upload.');
      if (request.method === 'PATCH') await space.touch(id);
    },
    // said before a byte is sent
    async onUploadCreate(request, upload) {
      const { use } = claims(upload);
      const limit = maxBytes(use);
      if (limit === null) throw new ApiProblem('INVALID', `use must be one of ${uses.join(', ')}`, { fields: [{ field: 'use', message: `must be one of ${uses.join(', ')}` }] });
      if (upload.size !== undefined && upload.size > limit) throw tooLarge(limit);
      await space.begin(upload.id, viewerOf(expressOf(request)), upload.size ?? limit);
      return {};
    },
    async onUploadFinish(request, upload) {
      let temporary: string | null = null;
      try {
        temporary = await parts.whole(upload.id);
        // one whose length was not said before
        const limit = maxBytes(claims(upload).use) ?? 0;
        if ((await sizeOf(temporary)) > limit) throw tooLarge(limit);
        const file = await accept(viewerOf(expressOf(request)), temporary, claims(upload));
        return { status_code: 201, body: JSON.stringify(file), headers: { 'Content-Type': 'application/json' } };
      } finally {
        // the bytes have moved on, or are not wanted
        if (temporary) await rm(temporary, { force: true });
        await parts.forget(upload.id);
        await space.end(upload.id);
      }
    },
    // thrown on, to the one place that turns an error into an answer; only the protocol's own answers are the package's
    onResponseError(request, error) {
      const status = (error as { status_code?: number }).status_code;
      if (status === undefined) throw error;
      if (status === 413) throw tooLarge(limitOf(request));
      if (status === 404 || status === 410) throw new ApiProblem('NOT_FOUND', 'There is no such upload; begin it again.');
      return undefined;
    },
  });
  return {
    handle: async (req, res) => {
      mustBeSized(req);
      await server.handle(req, res);
    },
    async sweep() {
      await space.makeRoom(KEPT_MS);
      await parts.tidy(KEPT_MS);
    },
  };
}

/** What an upload is begun for; the package says of broken metadata what is wrong with it. */
function purposeOf(metadata: string | null): string {
  try {
    return Metadata.parse(metadata ?? undefined).use ?? '';
  } catch {
    return '';
  }
}

/** The package reads what it can of a length ("1e9" as 1), and keeps an upload that was begun with more bytes than were announced. */
function mustBeSized(req: ExpressRequest): void {
  const length = req.get('upload-length');
  if (length !== undefined && !/^\d{1,15}$/.test(length)) throw new ApiProblem('INVALID', 'Upload-Length must be a number of bytes');
  if (req.method === 'POST' && req.is('application/offset+octet-stream') && !(Number(req.get('content-length')) <= Number(length)))
    throw new ApiProblem('INVALID', 'The piece is longer than the whole upload was said to be; nothing was kept.');
}

function claims(upload: Upload): { name: string; use: string; atS: number | null } {
  const { name, use, atS } = upload.metadata ?? {};
  const seconds = atS === undefined || atS === null ? null : Number(atS);
  if (seconds !== null && !(seconds >= 0 && seconds < 86_400)) throw new ApiProblem('INVALID', 'atS must be a time in the clip in seconds', { fields: [{ field: 'atS', message: 'must be seconds' }] });
  return { name: name ?? '', use: use ?? '', atS: seconds };
}

/** Size of a file on disk, bytes. */
export const sizeOf = async (file: string): Promise<number> => (await stat(file)).size;
