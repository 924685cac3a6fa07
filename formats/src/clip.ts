import { execFile } from 'node:child_process';
import { open } from 'node:fs/promises';
import { FormatError } from './format-error';

/** A frame of a clip is found in seconds; a file on which ffmpeg works longer is not a clip that one shoots. */
const LIMIT_MS = 60_000;
const MAX_FRAME_BYTES = 1 << 30;

export interface ClipFrame {
  png: Buffer;
  atS: number;
  widthPx: number;
  heightPx: number;
  durationS: number;
}

/** MOV or MP4, by the first box of the file (ISO/IEC 14496-12). */
export async function isClip(file: string): Promise<boolean> {
  const handle = await open(file);
  try {
    const head = Buffer.alloc(12);
    await handle.read(head, 0, 12, 0);
    return ['ftyp', 'moov', 'mdat', 'wide', 'free', 'skip'].includes(head.toString('latin1', 4, 8));
  } finally {
    await handle.close();
  }
}

/**
 * One frame of a MOV or MP4 clip, as PNG with the clip's depth, through the system's ffmpeg.
 * @param atS time from the clip's start in seconds; null takes its middle
 * @throws FormatError
 */
export async function extractFrame(file: string, name: string, atS: number | null): Promise<ClipFrame> {
  // the demuxer is named, so that a playlist in disguise makes ffmpeg open nothing else
  const input = ['-v', 'error', '-protocol_whitelist', 'file', '-f', 'mov'];
  const said = await run(
    'ffprobe',
    [...input, '-select_streams', 'v:0', '-show_entries', 'stream=width,height,duration:stream_side_data=rotation:format=duration', '-of', 'json', '-i', `file:${file}`],
    name,
  );
  const probed = JSON.parse(said.toString('utf8')) as { streams?: { width?: number; height?: number; duration?: string; side_data_list?: { rotation?: number }[] }[]; format?: { duration?: string } };
  const stream = probed.streams?.[0];
  if (!stream?.width || !stream.height) throw new FormatError(name, null, null, 'is a clip without a picture');
  const durationS = Number(stream.duration ?? probed.format?.duration ?? 0);
  const at = atS ?? durationS / 2;
  if (at > durationS) throw new FormatError(name, null, null, `is ${durationS.toFixed(2)} s long; there is no frame at ${at.toFixed(2)} s`);
  const png = await run('ffmpeg', ['-nostdin', ...input, '-ss', at.toFixed(3), '-i', `file:${file}`, '-an', '-frames:v', '1', '-c:v', 'png', '-f', 'image2pipe', '-'], name);
  if (png.length < 33) throw new FormatError(name, null, null, `has no frame at ${at.toFixed(2)} s`);
  // ffmpeg turns the frame upright: the size stands in the PNG's own header
  return { png, atS: at, widthPx: png.readUInt32BE(16), heightPx: png.readUInt32BE(20), durationS };
}

function run(command: string, args: string[], name: string): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    execFile(command, args, { encoding: 'buffer', timeout: LIMIT_MS, maxBuffer: MAX_FRAME_BYTES }, (error, stdout) => {
      if (!error) resolve(stdout);
      else if ((error as NodeJS.ErrnoException).code === 'ENOENT') reject(new FormatError(name, null, null, 'is a clip, and ffmpeg, which reads clips, is not installed on the server'));
      else reject(new FormatError(name, null, null, 'cannot be read as a clip; it may be cut off or protected'));
    });
  });
}
