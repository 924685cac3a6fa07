import { writeSync } from 'node:fs';
import { open } from 'node:fs/promises';
import path from 'node:path';
import { exrTimes, isExr } from './exr';
import { FormatError } from './format-error';
import { gatherPictures, type FramesFile } from './frames';
import { inspectPicture, previewJpeg } from './picture';
import { openZip } from './zip';

export { isZip } from './zip';

const PICTURE = /\.(png|jpe?g|tiff?|exr)$/i;
/** What a packing program puts beside the pictures. */
const BESIDE = /(^|\/)(__MACOSX\/|\.|Thumbs\.db$|desktop\.ini$)/i;
/** As many as a clip may have. */
const MOST_FRAMES = 20_000;

export interface NumberedFrame {
  name: string;
  number: number;
}

/**
 * Pictures by the last number of their names, which is that of their frame.
 * @throws FormatError where one has none, two have the same, or one is missing between two: what stands behind it would be a frame off
 */
export function numberedFrames(names: readonly string[], file: string): NumberedFrame[] {
  const frames = names.map((name) => {
    const digits = /(\d+)(?!.*\d)/.exec(path.basename(name).replace(/\.[^.]+$/, ''))?.[1];
    if (!digits) throw new FormatError(file, null, null, `${path.basename(name)} has no number in its name, and frames are numbered by it`);
    return { name, number: Number(digits) };
  });
  frames.sort((a, b) => a.number - b.number);
  frames.forEach(({ name, number }, i) => {
    const before = frames[i - 1]?.number;
    if (before === number) throw new FormatError(file, null, null, `${path.basename(name)}: frame ${number} is given twice`);
    if (before !== undefined && number > before + 1)
      throw new FormatError(
        file,
        null,
        null,
        `${number === before + 2 ? `frame ${before + 1} is` : `frames ${before + 1} to ${number - 1} are`} missing between ${before} and ${number}: give all of them, or the part before or behind`,
      );
  });
  return frames;
}

async function withFrames<T>(file: string, name: string, work: (frames: NumberedFrame[], read: (entry: string) => Promise<Buffer>) => Promise<T>): Promise<T> {
  const zip = await openZip(file).catch((e: Error) => {
    throw new FormatError(name, null, null, `cannot be read as a zip (${e.message})`);
  });
  try {
    const names = zip.entries.names.filter((n) => !BESIDE.test(n));
    const other = names.find((n) => !PICTURE.test(n));
    if (names.length === 0 || other)
      throw new FormatError(
        name,
        null,
        null,
        names.length === 0 ? 'is an empty zip' : `holds ${path.basename(other!)}, which is no picture: a picture sequence holds PNG, JPEG, TIFF or OpenEXR alone`,
      );
    if (names.length > MOST_FRAMES) throw new FormatError(name, null, null, `has ${names.length} frames; ${MOST_FRAMES} are read. Cut the take out of it`);
    return await work(numberedFrames(names, name), (entry) => zip.entries.read(entry));
  } finally {
    zip.close();
  }
}

export interface ProbedSequence {
  widthPx: number;
  heightPx: number;
  frames: number;
  /** of the first picture, by its name */
  firstNumber: number;
  /** as the first picture says it, which of pictures OpenEXR can; null: it says nothing */
  fps: number | null;
  timecode: string | null;
}

/** What a zip of pictures is, by its names and its first picture. @throws FormatError in words */
export const probeSequence = (file: string, name: string): Promise<ProbedSequence> =>
  withFrames(file, name, async (frames, read) => {
    if (frames.length < 2) throw new FormatError(name, null, null, 'holds one picture; a clip has a picture for each frame');
    const bytes = await read(frames[0].name);
    const called = path.basename(frames[0].name);
    const first = await inspectPicture(bytes, called);
    const times = isExr(bytes) ? exrTimes(bytes, called) : { fps: null, timecode: null };
    return { widthPx: first.widthPx, heightPx: first.heightPx, frames: frames.length, firstNumber: frames[0].number, ...times };
  });

/** One frame of a zip of pictures as a JPEG, at most so wide. @throws FormatError */
export const sequenceFrameJpeg = (file: string, name: string, index: number, widthPx: number): Promise<Buffer> =>
  withFrames(file, name, async (frames, read) => {
    const frame = frames[index];
    if (!frame) throw new FormatError(name, null, null, `has ${frames.length} frames; there is no frame ${index + 1}`);
    return previewJpeg(await read(frame.name), path.basename(frame.name), widthPx);
  });

interface DecodeOptions {
  onProgress?: (fraction: number) => void;
  signal?: AbortSignal;
  /** small pictures of every n-th frame: JPEGs, one after the other */
  strip: { file: string; widthPx: number; everyNth: (count: number) => number };
}

/** The frames of a zip of pictures as grey pixels in a file, one picture in memory at a time. @throws FormatError */
export const decodeSequence = (file: string, name: string, target: string, { onProgress, signal, strip }: DecodeOptions): Promise<FramesFile> =>
  withFrames(file, name, async (frames, read) => {
    const everyNth = strip.everyNth(frames.length);
    const small = await open(strip.file, 'w');
    try {
      return await gatherPictures(
        frames.map((frame, i) => ({
          name: path.basename(frame.name),
          async source() {
            signal?.throwIfAborted();
            const bytes = await read(frame.name);
            if (i % everyNth === 0) writeSync(small.fd, await previewJpeg(bytes, path.basename(frame.name), strip.widthPx));
            return bytes;
          },
        })),
        target,
        onProgress,
      );
    } finally {
      await small.close();
    }
  });
