import { open } from 'node:fs/promises';
import { PassThrough, type Readable } from 'node:stream';
import * as yauzl from 'yauzl';

/** One entry at a time. */
const MOST_IN_MEMORY_BYTES = 512e6;

/** A zip on disk, entry by entry: none of it is in memory before it is asked for. @throws Error when it is none, or an entry is missing */
export async function openZip(file: string) {
  const zip = await new Promise<yauzl.ZipFile>((resolve, reject) => yauzl.open(file, { lazyEntries: true, autoClose: false }, (error, z) => (error ? reject(error) : resolve(z))));
  const all = new Map<string, yauzl.Entry>();
  await new Promise<void>((resolve, reject) => {
    zip.on('entry', (entry: yauzl.Entry) => {
      all.set(entry.fileName, entry);
      zip.readEntry();
    });
    zip.on('end', () => resolve());
    zip.on('error', reject);
    zip.readEntry();
  });
  const openEntry = (name: string): Promise<Readable> => {
    const entry = all.get(name);
    if (!entry) return Promise.reject(new Error(`${name} is missing`));
    return new Promise((resolve, reject) =>
      zip.openReadStream(entry, (error, stream) => {
        if (error) return reject(error);
        // a fault in the middle ends what is read from it too
        const out = new PassThrough();
        stream.on('error', (e) => out.destroy(e));
        resolve(stream.pipe(out));
      }),
    );
  };
  // a small zip may unpack to gigabytes: what an entry says of its own size is held to it while it is read
  const read = async (name: string, mostBytes = MOST_IN_MEMORY_BYTES): Promise<Buffer> => {
    const size = all.get(name)?.uncompressedSize ?? 0;
    if (size > mostBytes) throw new Error(`${name} would be ${Math.round(size / 1e6)} MB, and ${Math.round(mostBytes / 1e6)} MB are read`);
    const chunks: Buffer[] = [];
    for await (const chunk of await openEntry(name)) chunks.push(chunk as Buffer);
    return Buffer.concat(chunks);
  };
  return {
    entries: { names: [...all.keys()].filter((name) => !name.endsWith('/')), open: openEntry, read, sizeOf: (name: string): number | null => all.get(name)?.uncompressedSize ?? null },
    close: () => zip.close(),
  };
}

/** By its first four bytes. */
export async function isZip(file: string): Promise<boolean> {
  const handle = await open(file);
  try {
    const head = Buffer.alloc(4);
    await handle.read(head, 0, 4, 0);
    return head.readUInt32LE(0) === 0x04034b50;
  } finally {
    await handle.close();
  }
}
