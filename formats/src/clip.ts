import { execFile } from 'node:child_process';
import { open } from 'node:fs/promises';
import type { Sound } from '@mesure/core';
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

/** WAV, by its first bytes. */
export async function isWav(file: string): Promise<boolean> {
  const handle = await open(file);
  try {
    const head = Buffer.alloc(12);
    await handle.read(head, 0, 12, 0);
    return head.toString('latin1', 0, 4) === 'RIFF' && head.toString('latin1', 8, 12) === 'WAVE';
  } finally {
    await handle.close();
  }
}

export interface ProbedClip {
  durationS: number;
  /** null: sound only */
  fps: number | null;
  timecode: string | null;
  hasSound: boolean;
}

/** The demuxer is named, so that a playlist in disguise makes ffmpeg open nothing else. */
const inputOf = async (file: string): Promise<string[]> => ['-v', 'error', '-protocol_whitelist', 'file', '-f', (await isWav(file)) ? 'wav' : 'mov'];

/** What a MOV, MP4 or WAV says of itself. @throws FormatError */
export async function probeClip(file: string, name: string): Promise<ProbedClip> {
  const said = await run(
    'ffprobe',
    [...(await inputOf(file)), '-show_entries', 'stream=codec_type,r_frame_rate,duration:stream_tags=timecode:format=duration:format_tags=timecode', '-of', 'json', '-i', `file:${file}`],
    name,
  );
  const { streams = [], format } = JSON.parse(said.toString('utf8')) as {
    streams?: { codec_type?: string; r_frame_rate?: string; duration?: string; tags?: { timecode?: string } }[];
    format?: { duration?: string; tags?: { timecode?: string } };
  };
  const picture = streams.find((s) => s.codec_type === 'video');
  const [over, under] = (picture?.r_frame_rate ?? '').split('/').map(Number);
  const rate = over / (under || 1);
  const timecode = format?.tags?.timecode ?? streams.map((s) => s.tags?.timecode).find(Boolean) ?? null;
  return {
    durationS: Number(format?.duration ?? streams[0]?.duration ?? 0),
    fps: picture && rate > 0 && rate < 2000 ? rate : null,
    timecode: timecode && /^\d{2}:\d{2}:\d{2}[:;]\d{2,3}$/.test(timecode) ? timecode : null,
    hasSound: streams.some((s) => s.codec_type === 'audio'),
  };
}

/** Twice what the search for an offset looks at. */
const SOUND_HZ = 16_000;
/** Longer clips are no takes, and their sound would not fit into memory. */
const LONGEST_SOUND_S = 3 * 3600;

/** The sound of a MOV, MP4 or WAV as one channel, through the system's ffmpeg. @throws FormatError */
export async function extractSound(file: string, name: string): Promise<Sound> {
  const probed = await probeClip(file, name);
  if (!probed.hasSound) throw new FormatError(name, null, null, 'has no sound; mark the clap in both pictures instead');
  if (probed.durationS > LONGEST_SOUND_S) throw new FormatError(name, null, null, 'is longer than three hours');
  const bytes = await run('ffmpeg', ['-nostdin', ...(await inputOf(file)), '-i', `file:${file}`, '-vn', '-map', '0:a:0', '-ac', '1', '-ar', String(SOUND_HZ), '-f', 'f32le', '-'], name);
  const samples = new Float32Array(Math.floor(bytes.length / 4));
  for (let i = 0; i < samples.length; i += 1) samples[i] = bytes.readFloatLE(4 * i);
  return { samples, rateHz: SOUND_HZ };
}

/** One frame of a clip by its number from 0, small enough for a phone, as JPEG. @throws FormatError */
export async function clipFrameJpeg(file: string, name: string, frame: number, widthPx: number): Promise<Buffer> {
  const { fps, durationS } = await probeClip(file, name);
  if (fps === null) throw new FormatError(name, null, null, 'has no picture');
  // the middle of the frame: its edge belongs to the one before as often
  const atS = (frame + 0.5) / fps;
  if (atS > durationS) throw new FormatError(name, null, null, `has ${Math.floor(durationS * fps)} frames; there is no frame ${frame}`);
  const jpeg = await run(
    'ffmpeg',
    [
      '-nostdin',
      ...(await inputOf(file)),
      '-ss',
      atS.toFixed(6),
      '-i',
      `file:${file}`,
      '-an',
      '-frames:v',
      '1',
      '-vf',
      `scale='min(${widthPx},iw)':-2`,
      '-c:v',
      'mjpeg',
      '-q:v',
      '4',
      '-f',
      'image2pipe',
      '-',
    ],
    name,
  );
  if (jpeg.length < 100) throw new FormatError(name, null, null, `has no frame ${frame}`);
  return jpeg;
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
