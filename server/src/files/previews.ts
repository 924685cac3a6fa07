import { isExr, previewJpeg } from '@mesure/formats/picture';
import Piscina from 'piscina';
import { ApiProblem } from '../http/problem';
import type { PreviewAnswer, PreviewTask } from './preview-thread';

export interface Previews {
  /** a JPEG of a picture, at most so wide. @throws FormatError, ApiProblem */
  of(bytes: Buffer, name: string, widthPx: number): Promise<Buffer>;
  stop(): Promise<void>;
}

/**
 * Pictures to look at. The picture library decodes in threads of its own; OpenEXR is decoded in plain code, seconds for a large one, which
 * would hold up everybody else's requests, so that it goes to a thread that comes with the first and ends a minute after the last.
 */
export function openPreviews(threadFile: string): Previews {
  let pool: Piscina<PreviewTask, PreviewAnswer> | null = null;
  return {
    async of(bytes, name, widthPx) {
      if (!isExr(bytes)) return previewJpeg(bytes, name, widthPx);
      pool ??= new Piscina({ filename: threadFile, minThreads: 0, maxThreads: 1, idleTimeout: 60_000 });
      const answer = await pool.run({ bytes, name, widthPx });
      if ('fault' in answer) throw new ApiProblem('UNREADABLE_FILE', answer.fault);
      return Buffer.from(answer.jpeg);
    },
    stop: async () => pool?.destroy(),
  };
}
