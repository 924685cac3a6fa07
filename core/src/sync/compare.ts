import { parseTimecode, timecodeSeconds } from '../units';

/** How much later the same moment is in the second clip than in the first, each counted from its own first frame, as one way of looking found it. */
export interface SyncEvidence {
  by: 'timecode' | 'sound' | 'clap';
  offsetS: number;
  sigmaS: number;
  /** 0…1; what is a guess contradicts nothing */
  confidence: number;
}
export interface SyncComparison {
  /** of the best evidence; null when there is none that can be trusted */
  offsetS: number | null;
  sigmaS: number | null;
  by: SyncEvidence['by'] | null;
  /** pairs that cannot both be true */
  contradictions: { a: SyncEvidence['by']; b: SyncEvidence['by']; differenceS: number; likely: string | null }[];
  /** evidence that agrees with the best, itself among it */
  agreeing: SyncEvidence['by'][];
}

/** Below it an offset is a guess. */
export const TRUSTED_CONFIDENCE = 0.5;
/** Beyond 3.3 sigma (one in a thousand) two ways do not differ by chance: Baarda's usual limit. */
const CONTRADICTION_SIGMAS = 3.3;
const DAY_S = 86_400;
/** Of two recorders nobody knows to what frames they were jammed: the longest. */
const RECORDERS_FPS = 24;

/** When a clip begins: by the timecode of its first frame, or, of a sound recorder, by seconds of the day. */
export type ClipStart = { timecode: string; fps: number } | { startsAtS: number };

/**
 * From when both say that they begin. Clocks are jammed to a frame: sigma is that of one frame of each, evenly spread (1/√12); a recorder
 * counts samples, and is jammed to a frame of the other.
 * @throws CoreError for what is no timecode at its rate
 */
export function timecodeEvidence(first: ClipStart, second: ClipStart): SyncEvidence {
  const at = (c: ClipStart) => ('startsAtS' in c ? c.startsAtS : timecodeSeconds(parseTimecode(c.timecode, c.fps), c.fps));
  const rates = [first, second].map((c) => ('startsAtS' in c ? null : c.fps));
  const known = rates.find((r) => r !== null) ?? RECORDERS_FPS;
  const raw = at(first) - at(second);
  // over midnight the clock begins again
  const offsetS = raw > DAY_S / 2 ? raw - DAY_S : raw < -DAY_S / 2 ? raw + DAY_S : raw;
  return { by: 'timecode', offsetS, sigmaS: frameSigma(rates[0] ?? known, rates[1] ?? known), confidence: 1 };
}

/** From the frame in which the clap is closed first, in both. */
export function clapEvidence(first: { frame: number; fps: number }, second: { frame: number; fps: number }): SyncEvidence {
  return { by: 'clap', offsetS: second.frame / second.fps - first.frame / first.fps, sigmaS: frameSigma(first.fps, second.fps), confidence: 1 };
}
const frameSigma = (a: number, b: number): number => Math.hypot(1 / a, 1 / b) / Math.sqrt(12);

/** Sound is good to a millisecond, and runs a third of a metre in it: a microphone that is metres nearer hears milliseconds earlier. */
export const soundEvidence = (s: { offsetS: number; confidence: number }): SyncEvidence => ({ by: 'sound', offsetS: s.offsetS, sigmaS: 0.005, confidence: s.confidence });

/** Lays the ways beside each other: the best, what agrees with it, and what cannot be true together. `fps` names differences in frames. */
export function compareSync(evidence: readonly SyncEvidence[], fps: number): SyncComparison {
  const trusted = evidence.filter((e) => e.confidence >= TRUSTED_CONFIDENCE);
  const differ = (a: SyncEvidence, b: SyncEvidence) => Math.abs(a.offsetS - b.offsetS) > CONTRADICTION_SIGMAS * Math.hypot(a.sigmaS, b.sigmaS);
  const contradictions = trusted.flatMap((a, i) =>
    trusted
      .slice(i + 1)
      .filter((b) => differ(a, b))
      .map((b) => ({ a: a.by, b: b.by, differenceS: b.offsetS - a.offsetS, likely: likely(a, b, fps) })),
  );
  // what most others agree with, then what is finest
  const support = (e: SyncEvidence) => trusted.filter((o) => !differ(e, o)).length;
  const [best] = [...trusted].sort((a, b) => support(b) - support(a) || a.sigmaS - b.sigmaS);
  if (!best) return { offsetS: null, sigmaS: null, by: null, contradictions, agreeing: [] };
  return { offsetS: best.offsetS, sigmaS: best.sigmaS, by: best.by, contradictions, agreeing: trusted.filter((e) => !differ(best, e)).map((e) => e.by) };
}

/** The usual reason for such a difference. */
function likely(a: SyncEvidence, b: SyncEvidence, fps: number): string | null {
  const off = Math.abs(a.offsetS - b.offsetS);
  const clock = a.by === 'timecode' || b.by === 'timecode';
  const hours = Math.round(off / 3600);
  if (clock && hours >= 1 && Math.abs(off - 3600 * hours) < 5) return `one clock is set ${hours} ${hours === 1 ? 'hour' : 'hours'} apart: another time zone`;
  const frames = Math.round(off * fps);
  if (clock && frames >= 1 && frames <= 12) return `the clocks are ${frames} ${frames === 1 ? 'frame' : 'frames'} apart: jammed at another moment`;
  if (clock && off > 1) return 'one clock was not jammed on this day';
  if (a.by === 'clap' || b.by === 'clap') return 'another clap, or the wrong frame of it, was marked';
  return null;
}
