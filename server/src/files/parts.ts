import { FileStore as PartsOnDisk } from '@tus/file-store';
import { DeleteObjectsCommand, GetObjectCommand, S3Client } from '@aws-sdk/client-s3';
import { S3Store } from '@tus/s3-store';
import type { DataStore } from '@tus/server';
import { createWriteStream, mkdirSync } from 'node:fs';
import { readdir, rm, stat } from 'node:fs/promises';
import path from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { clientConfigOf, type BucketPlace } from './bucket';

/** Where the pieces of uploads lie until they are whole. */
export interface UploadParts {
  datastore: DataStore;
  /** a whole upload as a file of this machine, for who reads and keeps it; it is the caller's to remove */
  whole(id: string): Promise<string>;
  /** nothing of it remains, begun or whole */
  forget(id: string): Promise<void>;
  /** what no upload owns any more and is older than `ms` */
  tidy(ms: number): Promise<void>;
}

export function partsInFolder(dir: string): UploadParts {
  mkdirSync(dir, { recursive: true });
  return {
    datastore: new PartsOnDisk({ directory: dir }),
    whole: async (id) => path.join(dir, id),
    forget: async (id) => void (await Promise.all([rm(path.join(dir, id), { force: true }), rm(path.join(dir, `${id}.json`), { force: true })])),
    tidy: (ms) => tidyFolder(dir, ms),
  };
}

const INCOMING = 'incoming-';
/** a phone on a set's network sends smaller pieces than this; the least that the protocol of buckets knows */
const PART_BYTES = 8 * 1024 * 1024;

/** In the bucket, so that any web process goes on with what another one began; `dir` holds a file while it is looked at. */
export function partsInBucket(place: BucketPlace, dir: string): UploadParts {
  mkdirSync(dir, { recursive: true });
  const client = new S3Client(clientConfigOf(place));
  // an upload that another process has ended must not be known here from before
  const cache = { get: async () => undefined, set: async () => undefined, delete: async () => undefined };
  const datastore = new S3Store({ partSize: PART_BYTES, useTags: false, cache, s3ClientConfig: { ...clientConfigOf(place), bucket: place.bucket } });
  return {
    datastore,
    async whole(id) {
      const file = path.join(dir, `${INCOMING}${id}`);
      const { Body } = await client.send(new GetObjectCommand({ Bucket: place.bucket, Key: id }));
      await pipeline(Body as Readable, createWriteStream(file));
      return file;
    },
    async forget(id) {
      await rm(path.join(dir, `${INCOMING}${id}`), { force: true });
      // of one that is whole the store of parts says that it is not there, and leaves its objects
      await datastore.remove(id).catch((e: { status_code?: number }) => {
        if (e.status_code !== 404) throw e;
      });
      await client.send(new DeleteObjectsCommand({ Bucket: place.bucket, Delete: { Objects: ['', '.info', '.part'].map((end) => ({ Key: `${id}${end}` })) } }));
    },
    tidy: (ms) => tidyFolder(dir, ms),
  };
}

async function tidyFolder(dir: string, ms: number): Promise<void> {
  for (const name of await readdir(dir)) {
    const file = path.join(dir, name);
    const there = await stat(file).catch(() => null);
    if (there && Date.now() - there.mtimeMs > ms) await rm(file, { force: true });
  }
}
