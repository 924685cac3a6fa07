import type { Sound } from '@mesure/core';
import { decode } from 'node-wav';
import { FormatError } from './format-error';

/** Below telephones and above what anybody records: a rate out of it would make a small file into hours of sound. */
export const SLOWEST_HZ = 4000;
export const FASTEST_HZ = 400_000;

/** A WAV file as one channel, the mean of those that it has; −1…1. @throws FormatError for what is no WAV, or in a coding that cannot be read */
export function readWav(bytes: Uint8Array, file: string): Sound {
  const tag = (at: number) => String.fromCharCode(...bytes.subarray(at, at + 4));
  if (bytes.length < 44 || tag(0) !== 'RIFF' || tag(8) !== 'WAVE') throw new FormatError(file, null, null, 'is no WAV file');
  let sound: { sampleRate: number; channelData: readonly Float32Array[] };
  try {
    sound = decode(bytes);
  } catch (cause) {
    throw new FormatError(file, null, null, `is a WAV that cannot be read (${cause instanceof Error ? cause.message : String(cause)}); PCM of 8 to 32 bits and float are`);
  }
  const { sampleRate, channelData } = sound;
  if (!channelData || channelData.length === 0 || channelData[0].length === 0) throw new FormatError(file, null, null, 'holds no sound');
  if (!(sampleRate >= SLOWEST_HZ && sampleRate <= FASTEST_HZ)) throw new FormatError(file, null, null, `claims ${sampleRate} samples a second; ${SLOWEST_HZ} to ${FASTEST_HZ} are sound`);
  if (channelData.length === 1) return { samples: channelData[0], rateHz: sampleRate };
  const samples = new Float32Array(channelData[0].length);
  for (const channel of channelData) for (let i = 0; i < samples.length; i += 1) samples[i] += channel[i] / channelData.length;
  return { samples, rateHz: sampleRate };
}
