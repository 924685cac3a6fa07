import type { UploadedFile } from '@mesure/contract';
import { extractFrame, inspectPicture, isClip, isWav, probeClip } from '@mesure/formats/picture';
import { readCoefficients } from '@mesure/formats/lens';
import { isZip, probeSequence } from '@mesure/formats/sequence';
import { open, readFile, stat, writeFile } from 'node:fs/promises';
import { ApiProblem } from '../http/problem';
import { readKit } from '../kit/contents';
import { COEFFICIENTS_MAX_BYTES, COEFFICIENTS_MIME } from './coefficients-file';
import type { FileThread } from './file-thread';

const TRACKS_MAX_BYTES = 100 * 1024 * 1024;

/** The last part of the name, without anything that a file system or a header could trip over. */
export function safeName(name: string): string {
  const last = name.split(/[\\/]/).pop() ?? '';
  const clean = last
    .replace(/[^\p{L}\p{N}._ -]/gu, '_')
    .replace(/^\.+/, '')
    .trim()
    .slice(-120);
  return clean === '' ? 'file' : clean;
}

type Accepted = Omit<UploadedFile, 'sha256' | 'sizeBytes'>;

/** A clip or a sound recording, whole: for its sound, and for the frames of its clap. */
async function acceptClip(file: string, name: string): Promise<Accepted> {
  if (await isZip(file)) return acceptSequence(file, name);
  const wav = await isWav(file);
  if (!wav && !(await isClip(file))) throw new ApiProblem('UNREADABLE_FILE', `${name} is neither WAV nor MOV or MP4, nor a zip of pictures.`);
  const facts = await probeClip(file, name);
  const { durationS, fps, hasSound, widthPx, heightPx } = facts;
  if (!(durationS > 0) || (fps === null && !hasSound)) throw new ApiProblem('UNREADABLE_FILE', `${name} holds neither picture nor sound.`);
  return { name, mime: wav ? 'audio/wav' : fps === null ? 'audio/mp4' : 'video/mp4', widthPx, heightPx, clip: { name, ...facts } };
}
/** A picture for each frame, in a zip: it has no sound, and a rate and a timecode where its pictures say so. */
export const SEQUENCE = 'application/x-pictures+zip';
async function acceptSequence(file: string, name: string): Promise<Accepted> {
  const { widthPx, heightPx, frames, firstNumber, fps, timecode } = await probeSequence(file, name);
  return { name, mime: SEQUENCE, widthPx, heightPx, clip: { name, durationS: fps === null ? 0 : frames / fps, fps, timecode, hasSound: false, widthPx, heightPx, frames, firstNumber } };
}

/** What a file may be given for, and what it must be then. */
export const USES: Record<string, (file: string, name: string, atS: number | null, fileThread: FileThread) => Promise<Accepted>> = {
  plate: acceptPlate,
  tracks: acceptTracks,
  clip: acceptClip,
  kit: acceptKit,
  handover: acceptHandover,
  move: acceptMove,
  lens: acceptLens,
};

/** What is read from disk piece by piece, however large it is. */
export const LARGE_USES: ReadonlySet<string> = new Set(['clip', 'handover']);

/** A kit file, read whole once: what cannot be brought in is refused before it is kept. */
async function acceptKit(file: string, name: string): Promise<Accepted> {
  await readKit(file, name, null);
  return { name, mime: 'application/zip', widthPx: null, heightPx: null };
}

/** A handover of another Mesure: its record is checked as a whole, its pictures when they are brought in. */
async function acceptHandover(file: string, name: string, _atS: number | null, fileThread: FileThread): Promise<Accepted> {
  await fileThread.handover(file, name);
  return { name, mime: 'application/zip', widthPx: null, heightPx: null };
}

/** A camera move or the points of one. What it says is read by who computes with it: only what is no such file at all is refused here. */
const MOVE = 'application/octet-stream';
async function acceptMove(file: string, name: string): Promise<Accepted> {
  if ((await stat(file)).size > TRACKS_MAX_BYTES) throw new ApiProblem('TOO_LARGE', `${name} is larger than a camera move may be.`);
  const handle = await open(file);
  const { buffer, bytesRead } = await handle.read(Buffer.alloc(4096), 0, 4096, 0).finally(() => handle.close());
  const head = buffer.subarray(0, bytesRead);
  // of sixteen bits a letter, as spreadsheets save it, every second byte is nothing
  const wide = (head[0] === 0xff && head[1] === 0xfe) || (head[0] === 0xfe && head[1] === 0xff);
  if (head.toString('latin1').startsWith('glTF') || wide || (bytesRead > 0 && !head.includes(0))) return { name, mime: MOVE, widthPx: null, heightPx: null };
  throw new ApiProblem('UNREADABLE_FILE', `${name} is neither glTF nor text: a camera move is read from GLB, glTF, USD text, JSON samples or CSV, its points from CSV or PLY text.`);
}

/** Distortion that was made elsewhere: a map as a picture, or coefficients as text. */
async function acceptLens(file: string, name: string): Promise<Accepted> {
  const handle = await open(file);
  const { buffer, bytesRead } = await handle.read(Buffer.alloc(4096), 0, 4096, 0).finally(() => handle.close());
  if (bytesRead === 0 || buffer.subarray(0, bytesRead).includes(0)) return acceptPlate(file, name, null);
  if ((await stat(file)).size > COEFFICIENTS_MAX_BYTES) throw new ApiProblem('TOO_LARGE', `${name} is larger than coefficients may be.`);
  readCoefficients(await readFile(file, 'utf8'), name);
  return { name, mime: COEFFICIENTS_MIME, widthPx: null, heightPx: null };
}

/**
 * A file that comes with others, looked at as if it was given alone: what it is said to be counts for nothing.
 * @throws ApiProblem when it is not of that sort, or is too large to be shown
 */
export async function acceptAs(mime: string, file: string, name: string, fileThread: FileThread): Promise<Accepted> {
  if (mime === MOVE) return acceptMove(file, name);
  if (mime === 'text/csv') return acceptTracks(file, name, null, fileThread);
  if (!mime.startsWith('image/')) return acceptClip(file, name);
  if (await isClip(file)) throw new ApiProblem('UNREADABLE_FILE', `${name} is a clip and no picture.`);
  return acceptPlate(file, name, null);
}

/** Of a clip one frame is kept, as a picture; it takes the clip's place in the temporary file. */
async function acceptPlate(file: string, name: string, atS: number | null): Promise<Accepted> {
  if (await isClip(file)) {
    const frame = await extractFrame(file, name, atS);
    await writeFile(file, frame.png);
    return { name: `${name} ${frame.atS.toFixed(2)} s.png`, mime: 'image/png', widthPx: frame.widthPx, heightPx: frame.heightPx };
  }
  const info = await inspectPicture(file, name);
  return { name, mime: info.mime, widthPx: info.widthPx, heightPx: info.heightPx };
}

async function acceptTracks(file: string, name: string, _atS: number | null, fileThread: FileThread): Promise<Accepted> {
  if ((await stat(file)).size > TRACKS_MAX_BYTES) throw new ApiProblem('TOO_LARGE', `${name} is larger than tracks may be.`);
  await fileThread.tracks(file, name);
  return { name, mime: 'text/csv', widthPx: null, heightPx: null };
}
