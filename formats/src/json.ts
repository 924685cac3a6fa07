import type { Warning } from '@mesure/core';

/** Twelve digits are below a micrometre in a kilometre; what a sum of decimals leaves behind (1.4033499999999999) tells nobody anything. */
const DIGITS = 12;

export const tidy = (v: number): number => (Number.isFinite(v) ? Number(v.toPrecision(DIGITS)) : v);

/** Warnings leave as their words, which is what a person reads in a file, with their codes in a list of their own beside them. */
export function warningsApart(v: unknown): unknown {
  if (v === null || typeof v !== 'object' || Array.isArray(v)) return v;
  const { warnings } = v as { warnings?: unknown };
  if (!Array.isArray(warnings) || warnings.length === 0 || !warnings.every((w) => typeof w?.code === 'string' && typeof w.words === 'string')) return v;
  // in their order, and none left out: the nth code belongs to the nth sentence
  return { ...v, warnings: (warnings as Warning[]).map((w) => w.words), warningCodes: (warnings as Warning[]).map((w) => w.code) };
}

/** The warnings of a file that was written by `jsonText`; of an older one, which has sentences alone, they are kept as they are. */
export const warningsTogether = (words: unknown, codes: unknown): Warning[] =>
  Array.isArray(words) ? words.map((w, i) => ({ code: Array.isArray(codes) && typeof codes[i] === 'string' ? codes[i] : 'FROM_FILE', words: String(w) })) : [];

export const jsonText = (value: unknown, indent = 2): string => `${JSON.stringify(value, (_key, v: unknown) => (typeof v === 'number' ? tidy(v) : warningsApart(v)), indent)}\n`;
