import FFT from 'fft.js';
import { CoreError } from '../errors';
import { median } from '../math';
import { resample, type Sound } from './resample';
import { WITNESS, type Warning } from '../warnings';

export interface SoundOffset {
  /** how much later the same sound is in b, s; at the middle of what both hear */
  offsetS: number;
  /** 0: the recordings have nothing in common that was found; 1: no doubt */
  confidence: number;
  /** by how much b's clock runs slow against a's, parts per million; null where too little of both is common */
  driftPpm: number | null;
  /** offsets of parts, at times of a; those that agree with the whole */
  windows: { atS: number; offsetS: number }[];
  warnings: Warning[];
}

/** Fine enough for a tenth of a millisecond, and speech lies below half of it. */
const FINE_HZ = 8000;
/** Long recordings are laid over each other at this rate first; two of ten minutes so fit into a transform of a million. */
const COARSE_HZ = 800;
const LONG_S = 60;
/** Spectrum is flattened by this power: all of it (1) listens to noise as much as to the sound. */
const WHITEN = 0.85;
/** Reflections of a room come within so much of the first sound; they are no second answer. */
const REFLECTIONS_S = 0.06;
/** Peak over the next best one, and over the spread of the correlation: where doubt ends, and where it begins. */
const RATIO = { least: 1.12, sure: 1.8 } as const;
const HEIGHT = { least: 6.5, sure: 11 } as const;
const AGREE_S = 0.004;
const SHORTEST_S = 0.5;
/** Long enough for a few words, short enough that a clock does not drift within it. */
const PART_S = 5;
const MOST_PARTS = 12;

/**
 * How much later the same sound is in b than in a.
 * Method   cross-correlation over the whole range by FFT, the spectrum flattened before (generalised cross-correlation with phase transform), so that
 *          a room's resonances do not smear it; the peak is refined below a sample by a parabola, and judged by the second best one and by the
 *          spread of all others. Several parts are looked at for themselves: they show drift, and whether they agree.
 * Source   Knapp & Carter, The Generalized Correlation Method for Estimation of Time Delay, IEEE ASSP 24 (1976).
 * @throws CoreError TOO_FEW_OBSERVATIONS for recordings shorter than half a second | INVALID_OPTION for a rate that cannot be
 */
export function soundOffset(a: Sound, b: Sound): SoundOffset {
  for (const [name, s] of [
    ['a', a],
    ['b', b],
  ] as const) {
    if (!(s.rateHz >= 1000 && s.rateHz <= 1e6)) throw new CoreError('INVALID_OPTION', `The sample rate of ${name} is ${s.rateHz} Hz; it must lie between 1000 and 1 000 000`, `${name}.rateHz`);
    if (s.samples.length < SHORTEST_S * s.rateHz)
      throw new CoreError('TOO_FEW_OBSERVATIONS', `Recording ${name} is ${(s.samples.length / s.rateHz).toFixed(2)} s long; at least ${SHORTEST_S} s are needed`, name);
  }
  const [lengthA, lengthB] = [a, b].map((s) => s.samples.length / s.rateHz);
  const long = Math.max(lengthA, lengthB) > LONG_S;
  const fineHz = Math.min(FINE_HZ, a.rateHz, b.rateHz);
  const rough = correlate(resample(a, long ? Math.min(COARSE_HZ, fineHz) : fineHz), resample(b, long ? Math.min(COARSE_HZ, fineHz) : fineHz));
  const warnings: Warning[] = [];
  if (rough.silent) return { offsetS: 0, confidence: 0, driftPpm: null, windows: [], warnings: [WITNESS.SILENT()] };
  // what both hear, in times of a
  const from = Math.max(0, -rough.offsetS);
  const to = Math.min(lengthA, lengthB - rough.offsetS);
  const common = to - from;
  const partS = Math.min(PART_S, common / 3);
  const parts: { atS: number; offsetS: number; sure: number }[] = [];
  if (partS >= 1) {
    const count = Math.max(3, Math.min(MOST_PARTS, Math.floor(common / partS)));
    for (let i = 0; i < count; i += 1) {
      const start = from + (i * (common - partS)) / (count - 1);
      const room = 0.25;
      const bStart = Math.max(0, start + rough.offsetS - room);
      const part = correlate(resample(a, fineHz, start, partS), resample(b, fineHz, bStart, partS + 2 * room), room + AGREE_S);
      if (!part.silent) parts.push({ atS: start + partS / 2, offsetS: part.offsetS + bStart - start, sure: part.confidence });
    }
  }
  const line = fitLine(parts);
  const windows = line ? line.kept : [];
  const agreeing = parts.length > 0 ? windows.length / parts.length : 0;
  // parts that agree with each other and with the whole say more than any peak; where clocks drift the whole is smeared by as much
  const middle = (from + to) / 2;
  const together = line && windows.length >= 3 && Math.abs(line.at(middle) - rough.offsetS) < AGREE_S + (Math.abs(line.slope) * common) / 2 ? agreeing : 0;
  const offsetS = line && together >= 0.6 ? line.at(middle) : rough.offsetS;
  const confidence = Math.min(1, Math.max(rough.confidence * (parts.length >= 3 ? 0.5 + 0.5 * together : 1), together >= 0.6 ? 0.6 * together + 0.4 * rough.confidence : 0));
  const driftPpm = line && windows.length >= 3 && together >= 0.6 ? 1e6 * line.slope : null;
  if (confidence < 0.5) warnings.push(WITNESS.LITTLE_IN_COMMON());
  if (driftPpm !== null && Math.abs(driftPpm) * 1e-6 * common > 0.01) warnings.push(WITNESS.CLOCKS_DRIFT(Math.abs(driftPpm), Math.abs(driftPpm) * 1e-3 * common));
  return { offsetS, confidence, driftPpm, windows: windows.map(({ atS, offsetS: o }) => ({ atS, offsetS: o })), warnings };
}

interface Peak {
  offsetS: number;
  confidence: number;
  silent: boolean;
}

/** Plans of the sizes that come again: the parts all have one. */
const plans = new Map<number, FFT>();
function planOf(size: number): FFT {
  const plan = plans.get(size) ?? new FFT(size);
  // the large ones are used once, and hold tens of megabytes
  if (size <= 2 ** 18) plans.set(size, plan);
  return plan;
}

/** The spectrum of a real signal without its mean, of which the second half mirrors the first. */
function spectrumOf(fft: FFT, size: number, samples: Float32Array): Float64Array {
  const padded = new Float64Array(size);
  let mean = 0;
  for (let i = 0; i < samples.length; i += 1) mean += samples[i] / samples.length;
  for (let i = 0; i < samples.length; i += 1) padded[i] = samples[i] - mean;
  const out = new Float64Array(2 * size);
  fft.realTransform(out, padded);
  return out;
}

/** Largest correlation over all lags, or over those within `nearS` of none when b begins a quarter second earlier. */
function correlate(a: Sound, b: Sound, nearS?: number): Peak {
  const { rateHz } = a;
  const size = 2 ** Math.ceil(Math.log2(a.samples.length + b.samples.length));
  const fft = planOf(size);
  const sa = spectrumOf(fft, size, a.samples);
  const sb = spectrumOf(fft, size, b.samples);
  const half = size / 2;
  // b · conj(a), in place of a
  let power = 0;
  for (let k = 0; k <= half; k += 1) {
    const [ar, ai, br, bi] = [sa[2 * k], sa[2 * k + 1], sb[2 * k], sb[2 * k + 1]];
    const re = br * ar + bi * ai;
    const im = bi * ar - br * ai;
    sa[2 * k] = re;
    sa[2 * k + 1] = im;
    power += Math.sqrt(re * re + im * im);
  }
  if (!(power > 0)) return { offsetS: 0, confidence: 0, silent: true };
  const floor = (1e-4 * power) / (half + 1);
  // flattened; rumble below 60 Hz is wind and handling
  const lowest = Math.ceil((60 * size) / rateHz);
  for (let k = 0; k <= half; k += 1) {
    const [re, im] = [sa[2 * k], sa[2 * k + 1]];
    const w = k < lowest ? 0 : (Math.sqrt(re * re + im * im) + floor) ** -WHITEN;
    sa[2 * k] = w * re;
    sa[2 * k + 1] = w * im;
  }
  fft.completeSpectrum(sa);
  fft.inverseTransform(sb, sa);
  const value = (lag: number) => Math.abs(sb[2 * ((lag + size) % size)]);
  const [low, high] = nearS === undefined ? [-(a.samples.length - 1), b.samples.length - 1] : [0, Math.min(b.samples.length - 1, Math.round(2 * nearS * rateHz))];
  let best = low,
    square = 0;
  for (let lag = low; lag <= high; lag += 1) {
    const v = value(lag);
    square += v * v;
    if (v > value(best)) best = lag;
  }
  const near = Math.round(REFLECTIONS_S * rateHz);
  let second = 0;
  for (let lag = low; lag <= high; lag += 1) if (Math.abs(lag - best) > near) second = Math.max(second, value(lag));
  const peak = value(best);
  const [l, r] = [value(best - 1), value(best + 1)];
  const bend = l - 2 * peak + r;
  const between = bend < 0 ? Math.max(-0.5, Math.min(0.5, (0.5 * (l - r)) / bend)) : 0;
  const rise = (v: number, { least, sure }: { least: number; sure: number }) => Math.max(0, Math.min(1, (v - least) / (sure - least)));
  const spread = Math.sqrt(square / (high - low + 1));
  return { offsetS: (best + between) / rateHz, confidence: Math.min(rise(peak / (second || 1e-30), RATIO), rise(peak / spread, HEIGHT)), silent: false };
}

/** A line through offsets of parts, those off it left out; the middle one of all slopes between two, so that a third may be wrong (Theil–Sen). */
function fitLine(parts: readonly { atS: number; offsetS: number }[]): { slope: number; at: (t: number) => number; kept: { atS: number; offsetS: number }[] } | null {
  if (parts.length < 3) return null;
  const slopes = parts.flatMap((p, i) => parts.slice(i + 1).map((q) => (q.offsetS - p.offsetS) / (q.atS - p.atS)));
  // clocks differ by parts per million; anything steeper is a wrong part
  const gentle = slopes.filter((s) => Math.abs(s) < 1e-3);
  const slope = gentle.length > 0 ? median(gentle) : 0;
  const origin = median(parts.map((p) => p.offsetS - slope * p.atS));
  const kept = parts.filter((p) => Math.abs(p.offsetS - slope * p.atS - origin) < AGREE_S);
  return { slope, at: (t) => origin + slope * t, kept };
}
