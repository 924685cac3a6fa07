import { CoreError } from '../errors';

/** What a clip name may be made of, beside its own letters: `{camera}`, `{slate}`, `{take}`, and a run of `#` that counts up. */
export interface ClipWords {
  camera: string;
  slate: string;
  take: number;
}

const COUNTER = /#+/;
const escape = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
const fill = (pattern: string, words: ClipWords): string => pattern.replaceAll('{camera}', words.camera).replaceAll('{slate}', words.slate).replaceAll('{take}', String(words.take));

/**
 * The name of the next clip of a camera. The counter goes on from the highest of the clips that fit the pattern, with any slate and take in
 * it, and begins with 1. `A012C###` after A012C006 gives A012C007.
 * @throws CoreError INVALID_OPTION when the pattern cannot tell two clips apart
 */
export function nextClipName(pattern: string, words: ClipWords, taken: readonly string[]): string {
  const problem = clipPatternProblem(pattern);
  if (problem) throw new CoreError('INVALID_OPTION', problem, 'pattern');
  const counter = COUNTER.exec(pattern)?.[0];
  if (!counter) return fill(pattern, words);
  const [before, after] = pattern.split(COUNTER).map((part) => escape(part).replaceAll('\\{camera\\}', escape(words.camera)).replaceAll('\\{slate\\}', '.+?').replaceAll('\\{take\\}', '\\d+'));
  const form = new RegExp(`^${before}(\\d{${counter.length},})${after}$`);
  const last = taken.reduce((max, name) => Math.max(max, Number(form.exec(name)?.[1] ?? 0)), 0);
  return fill(pattern.replace(COUNTER, String(last + 1).padStart(counter.length, '0')), words);
}

/** Why a pattern cannot be used; null when it can. */
export function clipPatternProblem(pattern: string): string | null {
  if (pattern.trim() === '') return 'Write a pattern such as A012C###';
  const counters = pattern.match(/#+/g) ?? [];
  if (counters.length > 1) return 'One run of # is enough: it counts the clips up';
  const unknown = /\{(?!camera\}|slate\}|take\})[^}]*\}?/.exec(pattern);
  if (unknown) return `${unknown[0]} is not known; there are {camera}, {slate}, {take} and #`;
  if (counters.length === 0 && !pattern.includes('{take}')) return 'Every clip would have the same name: add ### or {take}';
  return null;
}
