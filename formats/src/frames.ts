import type { FrameSource, GrayImage } from '@mesure/core';
import { closeSync, openSync, readSync, statSync, writeSync } from 'node:fs';
import { stat, statfs } from 'node:fs/promises';
import path from 'node:path';
import { frameTimes, inputOf, mustBeShown, run, uprightSize } from './clip';
import { FormatError } from './format-error';
import { readGray } from './picture';

/** A clip of the length of a take, decoded by a slow machine. */
const LIMIT_MS = 30 * 60_000;
/** Of the disk that decoded frames may fill at most. */
const SHARE_OF_DISK = 0.8;
/** Frames of a clip; more is no take. */
const MOST_FRAMES = 20_000;

/** Frames of a clip as grey pixels in a file: read one by one, in any order, in bounded memory. */
export interface FramesFile {
  file: string;
  widthPx: number;
  heightPx: number;
  count: number;
}

export interface DecodeOptions {
  /** 0…1 */
  onProgress?: (fraction: number) => void;
  signal?: AbortSignal;
  /** small pictures of every n-th frame are written too: JPEGs of this width, one after the other */
  strip?: { file: string; widthPx: number; everyNth: (count: number) => number };
}

/**
 * Decodes a MOV or MP4 into a file of grey pixels, 8 bits each, in the order in which the frames are shown, through the system's ffmpeg.
 * @throws FormatError when it is no clip, or its frames do not fit on the disk
 */
export async function decodeClip(file: string, name: string, target: string, { onProgress, signal, strip }: DecodeOptions = {}): Promise<FramesFile> {
  const input = await inputOf(file);
  const said = await run('ffprobe', [...input, '-select_streams', 'v:0', '-show_entries', 'stream=width,height:stream_side_data=rotation', '-of', 'json', '-i', `file:${file}`], name);
  const [stream] = (JSON.parse(said.toString('utf8')) as { streams?: { width?: number; height?: number; side_data_list?: { rotation?: number }[] }[] }).streams ?? [];
  if (!stream?.width || !stream.height) throw new FormatError(name, null, null, 'is a clip without a picture');
  mustBeShown(stream.width * stream.height, `${stream.width} × ${stream.height}`, name);
  const [widthPx, heightPx] = uprightSize(stream);
  const expected = (await frameTimes(file, name)).atS.length;
  if (expected > MOST_FRAMES) throw new FormatError(name, null, null, `has ${expected} frames; ${MOST_FRAMES} are read. Cut the take out of it`);
  await mustFit(path.dirname(target), expected * widthPx * heightPx, name);
  const poll = setInterval(
    () =>
      void stat(target).then(
        ({ size }) => onProgress?.(Math.min(1, size / Math.max(1, expected * widthPx * heightPx))),
        () => undefined,
      ),
    500,
  );
  const nth = strip?.everyNth(expected) ?? 1;
  try {
    await run(
      'ffmpeg',
      [
        ...['-nostdin', ...input, '-i', `file:${file}`, '-an', '-map', '0:v:0', '-fps_mode', 'passthrough', '-pix_fmt', 'gray', '-f', 'rawvideo', '-y', `file:${target}`],
        ...(strip
          ? [
              '-an',
              '-map',
              '0:v:0',
              '-fps_mode',
              'passthrough',
              '-vf',
              `select='not(mod(n,${nth}))',scale='min(${strip.widthPx},iw)':-2`,
              '-c:v',
              'mjpeg',
              '-q:v',
              '6',
              '-f',
              'mjpeg',
              '-y',
              `file:${strip.file}`,
            ]
          : []),
      ],
      name,
      { limitMs: LIMIT_MS, signal },
    );
  } finally {
    clearInterval(poll);
  }
  const { size } = await stat(target);
  const count = size / (widthPx * heightPx);
  if (!Number.isInteger(count) || count === 0) throw new FormatError(name, null, null, 'changes the size of its frames on the way, or holds none');
  return { file: target, widthPx, heightPx, count };
}

export interface GatheredPicture {
  name: string;
  /** its bytes, or where it is */
  source(): Promise<Buffer> | string;
}

/** Pictures of one size, one frame each, into the same kind of file. @throws FormatError */
export async function gatherPictures(files: readonly GatheredPicture[], target: string, onProgress?: (fraction: number) => void): Promise<FramesFile> {
  let size: GrayImage | null = null;
  const handle = openSync(target, 'w');
  try {
    for (const [i, { name, source }] of files.entries()) {
      const image = await readGray(await source(), name);
      if (!size) {
        size = image;
        await mustFit(path.dirname(target), files.length * image.widthPx * image.heightPx, name);
      }
      if (image.widthPx !== size.widthPx || image.heightPx !== size.heightPx)
        throw new FormatError(name, null, null, `is ${image.widthPx} × ${image.heightPx}, and the frames before it ${size.widthPx} × ${size.heightPx}`);
      writeSync(handle, image.data instanceof Uint8Array ? image.data : Uint8Array.from(image.data, (v) => Math.min(255, Math.max(0, Math.round(v)))));
      onProgress?.((i + 1) / files.length);
    }
  } finally {
    closeSync(handle);
  }
  if (!size) throw new FormatError('frames', null, null, 'are none');
  return { file: target, widthPx: size.widthPx, heightPx: size.heightPx, count: files.length };
}

async function mustFit(folder: string, bytes: number, name: string): Promise<void> {
  const { bavail, bsize } = await statfs(folder);
  const gb = (n: number) => (n / 1e9).toFixed(1);
  if (bytes > SHARE_OF_DISK * bavail * bsize)
    throw new FormatError(name, null, null, `takes ${gb(bytes)} GB when its frames are laid out, and ${gb(bavail * bsize)} GB are free here. Give a shorter part of it`);
}

/** The frames of such a file; `close` when done. */
export function openFrames({ file, widthPx, heightPx, count }: FramesFile): FrameSource & { close(): void } {
  const handle = openSync(file, 'r');
  const bytes = widthPx * heightPx;
  if (statSync(file).size < count * bytes) throw new FormatError(path.basename(file), null, null, 'is cut off');
  return {
    count,
    widthPx,
    heightPx,
    at(index) {
      const data = new Uint8Array(bytes);
      readSync(handle, data, 0, bytes, index * bytes);
      return { widthPx, heightPx, data };
    },
    close: () => closeSync(handle),
  };
}
