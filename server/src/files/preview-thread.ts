import { FormatError } from '@mesure/formats';
import { previewJpeg } from '@mesure/formats/picture';

export interface PreviewTask {
  bytes: Uint8Array;
  name: string;
  widthPx: number;
}

/** An error loses its class between threads: what the file's fault is comes back in words. */
export type PreviewAnswer = { jpeg: Uint8Array } | { fault: string };

/** Runs in a thread of its own. */
export default async function preview({ bytes, name, widthPx }: PreviewTask): Promise<PreviewAnswer> {
  try {
    return { jpeg: await previewJpeg(Buffer.from(bytes), name, widthPx) };
  } catch (error) {
    if (error instanceof FormatError) return { fault: error.message };
    throw error;
  }
}
