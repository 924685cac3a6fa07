import path from 'node:path';
import type { StorageConfig } from '../config';
import { bucketStore } from './bucket';
import { partsInBucket, partsInFolder, type UploadParts } from './parts';
import { folderStore, type FileStore } from './store';

/** Where the files of an installation are: in a bucket that many machines share, or in the folder of this one. */
export function storeOf({ dataDir, bucket, cacheBytes }: StorageConfig): FileStore {
  return bucket ? bucketStore(bucket, { dir: path.join(dataDir, 'cache'), cacheBytes }) : folderStore(path.join(dataDir, 'files'));
}

export function partsOf({ dataDir, bucket }: Pick<StorageConfig, 'dataDir' | 'bucket'>): UploadParts {
  const dir = path.join(dataDir, 'incoming');
  return bucket ? partsInBucket(bucket, dir) : partsInFolder(dir);
}
