import pLimit from 'p-limit';
import { execFile } from 'node:child_process';
import { open } from 'node:fs/promises';
import type { Sound } from '@mesure/core';
import { FormatError } from './format-error';

/** Below telephones and above what anybody records: a rate out of it would make a small file into hours of sound. */
const SLOWEST_HZ = 4000;
const FASTEST_HZ = 400_000;
/** A frame of a clip is found in seconds; a file on which ffmpeg works longer is not a clip that one shoots. */
const LIMIT_MS = 60_000;
const MAX_FRAME_BYTES = 1 << 30;
/** A frame of a clip; 12K are 80 megapixels. */
const MOST_FRAME_PIXELS = 100_000_000;
/** What one run of ffmpeg may take at once, bytes. */
const MOST_ALLOCATED = 1 << 30;
/** Runs at once, and those that may wait for them: each takes a core and up to a gigabyte. */
const AT_ONCE = 2;
const MOST_WAITING = 64;
const turns = pLimit(AT_ONCE);

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
  mustBeShown(stream.width * stream.height, `${stream.width} × ${stream.height}`, name);
  const durationS = Number(stream.duration ?? probed.format?.duration ?? 0);
  const wanted = atS ?? durationS / 2;
  if (wanted > durationS) throw new FormatError(name, null, null, `is ${durationS.toFixed(2)} s long; there is no frame at ${wanted.toFixed(2)} s`);
  const times = await frameTimes(file, name);
  const frame = shownAt(times.atS, wanted);
  if (frame < 0) throw new FormatError(name, null, null, `has no frame at ${wanted.toFixed(2)} s`);
  const at = times.atS[frame];
  const one = oneFrame(times, frame);
  const png = await run('ffmpeg', ['-nostdin', ...input, ...one.before, '-i', `file:${file}`, ...one.after, '-c:v', 'png', '-f', 'image2pipe', '-'], name);
  if (png.length < 33) throw new FormatError(name, null, null, `has no frame at ${wanted.toFixed(2)} s`);
  // ffmpeg turns the frame upright: the size stands in the PNG's own header
  return { png, atS: at, widthPx: png.readUInt32BE(16), heightPx: png.readUInt32BE(20), durationS };
}

/** WAV, by its first bytes; also that of more than 4 GB (EBU Tech 3306, ITU-R BS.2088). */
export async function isWav(file: string): Promise<boolean> {
  const handle = await open(file);
  try {
    const head = Buffer.alloc(12);
    await handle.read(head, 0, 12, 0);
    return ['RIFF', 'RF64', 'BW64'].includes(head.toString('latin1', 0, 4)) && head.toString('latin1', 8, 12) === 'WAVE';
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
  /** when a recording begins, seconds of the day, by its time reference (EBU Tech 3285); null: it says none */
  startsAtS: number | null;
  /** its frames do not follow each other evenly */
  varies: boolean;
  /** of its picture, upright; null: sound only */
  widthPx: number | null;
  heightPx: number | null;
  /** how many frames are shown */
  frames: number;
}

/** The demuxer is named, so that a playlist in disguise makes ffmpeg open nothing else. */
export const inputOf = async (file: string): Promise<string[]> => ['-v', 'error', '-protocol_whitelist', 'file', '-f', (await isWav(file)) ? 'wav' : 'mov'];

/** What a MOV, MP4 or WAV says of itself. @throws FormatError */
export async function probeClip(file: string, name: string): Promise<ProbedClip> {
  const said = await run(
    'ffprobe',
    [
      ...(await inputOf(file)),
      '-show_entries',
      'stream=codec_type,width,height,sample_rate,r_frame_rate,duration:stream_side_data=rotation:stream_tags=timecode:format=duration:format_tags=timecode,time_reference',
      '-of',
      'json',
      '-i',
      `file:${file}`,
    ],
    name,
  );
  const { streams = [], format } = JSON.parse(said.toString('utf8')) as {
    streams?: {
      codec_type?: string;
      width?: number;
      height?: number;
      sample_rate?: string;
      r_frame_rate?: string;
      duration?: string;
      tags?: { timecode?: string };
      side_data_list?: { rotation?: number }[];
    }[];
    format?: { duration?: string; tags?: { timecode?: string; time_reference?: string } };
  };
  const picture = streams.find((s) => s.codec_type === 'video');
  const [over, under] = (picture?.r_frame_rate ?? '').split('/').map(Number);
  const rate = over / (under || 1);
  if (picture?.width && picture.height) mustBeShown(picture.width * picture.height, `${picture.width} × ${picture.height}`, name);
  const soundHz = Number(streams.find((s) => s.codec_type === 'audio')?.sample_rate ?? SLOWEST_HZ);
  if (!(soundHz >= SLOWEST_HZ && soundHz <= FASTEST_HZ)) throw new FormatError(name, null, null, `claims ${soundHz} samples of sound a second; ${SLOWEST_HZ} to ${FASTEST_HZ} are sound`);
  const moves = picture && rate > 0 && rate < 2000;
  const timecode = format?.tags?.timecode ?? streams.map((s) => s.tags?.timecode).find(Boolean) ?? null;
  const shown = moves ? await frameTimes(file, name) : null;
  const size = picture && moves ? uprightSize(picture) : null;
  return {
    durationS: Number(format?.duration ?? streams[0]?.duration ?? 0),
    fps: moves ? rate : null,
    varies: shown?.varies ?? false,
    widthPx: size?.[0] ?? null,
    heightPx: size?.[1] ?? null,
    frames: shown?.atS.length ?? 0,
    timecode: timecode && /^\d{2}:\d{2}:\d{2}[:;]\d{2,3}$/.test(timecode) ? timecode : null,
    hasSound: streams.some((s) => s.codec_type === 'audio'),
    startsAtS: secondsOfDay(format?.tags?.time_reference, soundHz),
  };
}

/** Samples since midnight. Nought is what a recorder writes that has no clock. */
function secondsOfDay(samples: string | undefined, rateHz: number): number | null {
  const s = Number(samples) / rateHz;
  return s > 0 && s < 86_400 ? s : null;
}

/** ffmpeg turns frames upright: of a clip that was held on its side width and height change places. */
export function uprightSize(stream: { width?: number; height?: number; side_data_list?: { rotation?: number }[] }): [number, number] {
  const turned = Math.abs(stream.side_data_list?.find((d) => d.rotation !== undefined)?.rotation ?? 0) % 180 === 90;
  return turned ? [stream.height ?? 0, stream.width ?? 0] : [stream.width ?? 0, stream.height ?? 0];
}

/** Twice what the search for an offset looks at. */
const SOUND_HZ = 16_000;
/** Longer clips are no takes, and their sound would not fit into memory. */
const LONGEST_SOUND_S = 3600;

/** The sound of a MOV, MP4 or WAV as one channel, through the system's ffmpeg. @throws FormatError */
export async function extractSound(file: string, name: string): Promise<Sound> {
  const probed = await probeClip(file, name);
  if (!probed.hasSound) throw new FormatError(name, null, null, 'has no sound; mark the clap in both pictures instead');
  if (probed.durationS > LONGEST_SOUND_S) throw new FormatError(name, null, null, 'is longer than an hour; give the take alone');
  const bytes = await run('ffmpeg', ['-nostdin', ...(await inputOf(file)), '-i', `file:${file}`, '-vn', '-map', '0:a:0', '-ac', '1', '-ar', String(SOUND_HZ), '-f', 'f32le', '-'], name);
  const samples = new Float32Array(Math.floor(bytes.length / 4));
  for (let i = 0; i < samples.length; i += 1) samples[i] = bytes.readFloatLE(4 * i);
  return { samples, rateHz: SOUND_HZ };
}

/** When each frame of a clip is shown, in the order in which they are shown; from its own time stamps and not from a rate. */
export interface FrameTimes {
  /** seconds from the clip's start */
  atS: number[];
  /** frames do not follow each other evenly: a number of frames is then no length of time */
  varies: boolean;
}

/** Of a few tens of thousands of stamps the rounding of a container's clock is below it. */
const EVEN_SHARE = 0.2;

/** Stamps of all packets of the picture, without decoding it. @throws FormatError */
export async function frameTimes(file: string, name: string): Promise<FrameTimes> {
  const said = await run('ffprobe', [...(await inputOf(file)), '-select_streams', 'v:0', '-show_entries', 'packet=pts_time,flags:format=start_time', '-of', 'json', '-i', `file:${file}`], name);
  const { packets = [], format } = JSON.parse(said.toString('utf8')) as { packets?: { pts_time?: string; flags?: string }[]; format?: { start_time?: string } };
  const start = Number(format?.start_time ?? 0) || 0;
  const atS = packets
    // D: an edit list says that it is decoded and not shown
    .filter((p) => p.pts_time !== undefined && !p.flags?.includes('D'))
    .map((p) => Number(p.pts_time) - start)
    .filter((t) => Number.isFinite(t) && t > -1e-6)
    .sort((p, q) => p - q);
  const gaps = atS.slice(1).map((t, i) => t - atS[i]);
  const usual = [...gaps].sort((p, q) => p - q)[gaps.length >> 1] ?? 0;
  return { atS, varies: gaps.some((g) => Math.abs(g - usual) > EVEN_SHARE * usual) };
}

/** The frame that is on the screen at a time; −1 before the first. */
const shownAt = (atS: readonly number[], wanted: number): number => atS.filter((t) => t <= wanted + 1e-4).length - 1;

/** So far before the frame the file is entered: a demuxer seeks by the order of decoding, and would begin behind a frame that is shown earlier. */
const ENTER_BEFORE_S = 3;

/**
 * Arguments before and after the input that make ffmpeg give one frame: entered well before it, then everything discarded that is shown
 * before a moment between the frame and the one before; frames are passed on as they are and not evened out to a rate.
 */
function oneFrame({ atS }: FrameTimes, frame: number): { before: string[]; after: string[] } {
  const earlier = frame > 0 ? atS[frame - 1] : atS[0] - 1;
  const moment = Math.max(0, atS[frame] - Math.min(0.25 * (atS[frame] - earlier), 0.002));
  const enter = Math.max(0, moment - ENTER_BEFORE_S);
  return { before: enter > 0 ? ['-ss', enter.toFixed(6)] : [], after: ['-ss', (moment - enter).toFixed(6), '-an', '-fps_mode', 'passthrough', '-frames:v', '1'] };
}

/** One frame of a clip by its number from 0, as they are shown, small enough for a phone, as JPEG. @throws FormatError */
export async function clipFrameJpeg(file: string, name: string, frame: number, widthPx: number): Promise<Buffer> {
  const { fps } = await probeClip(file, name);
  if (fps === null) throw new FormatError(name, null, null, 'has no picture');
  const times = await frameTimes(file, name);
  if (frame >= times.atS.length) throw new FormatError(name, null, null, `has ${times.atS.length} frames; there is no frame ${frame}`);
  const one = oneFrame(times, frame);
  const jpeg = await run(
    'ffmpeg',
    ['-nostdin', ...(await inputOf(file)), ...one.before, '-i', `file:${file}`, ...one.after, '-vf', `scale='min(${widthPx},iw)':-2`, '-c:v', 'mjpeg', '-q:v', '4', '-f', 'image2pipe', '-'],
    name,
  );
  if (jpeg.length < 100) throw new FormatError(name, null, null, `has no frame ${frame}`);
  return jpeg;
}

export function mustBeShown(pixels: number, size: string, name: string): void {
  if (pixels > MOST_FRAME_PIXELS) throw new FormatError(name, null, null, `has frames of ${size}; more than ${MOST_FRAME_PIXELS / 1e6} megapixels are not read`);
}

/** One thread, bounded memory and pixels, and no more runs at once than the machine bears: the others wait their turn. */
export function run(command: string, args: string[], name: string, within: Within = {}): Promise<Buffer> {
  if (turns.pendingCount >= MOST_WAITING) return Promise.reject(new FormatError(name, null, null, 'is a clip, and more of them are being read than this machine bears; ask again in a moment'));
  const bounded = command === 'ffmpeg' ? ['-max_alloc', String(MOST_ALLOCATED), '-threads', '1', '-max_pixels', String(MOST_FRAME_PIXELS), ...args] : args;
  return turns(() => start(command, bounded, name, within));
}

/** Of a run that reads a whole clip: how long it may take, and what ends it before. */
export interface Within {
  limitMs?: number;
  signal?: AbortSignal;
}

function start(command: string, args: string[], name: string, { limitMs = LIMIT_MS, signal }: Within): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    execFile(command, args, { encoding: 'buffer', timeout: limitMs, maxBuffer: MAX_FRAME_BYTES, signal }, (error, stdout) => {
      if (!error) resolve(stdout);
      else if (error.name === 'AbortError') reject(error);
      else if ((error as NodeJS.ErrnoException).code === 'ENOENT') reject(new FormatError(name, null, null, 'is a clip, and ffmpeg, which reads clips, is not installed on the server'));
      else reject(new FormatError(name, null, null, 'cannot be read as a clip; it may be cut off or protected'));
    });
  });
}
