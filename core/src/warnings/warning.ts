/**
 * What an answer must be taken with: a code that programs ask for, and the words that people read. A room's words stand in one table of this
 * folder; nobody recognises a warning by its words.
 */
export interface Warning {
  code: WarningCode;
  words: string;
}

/** Upper case with underscores, as the codes of errors are; each stands in one table of this folder, and none in two. */
export type WarningCode = string;

type Words = Readonly<Record<string, (...values: never[]) => string>>;

/** A table of words as functions that make warnings: `SOLVE.FEW_FRAMES(3)`. */
export function tableOf<T extends Words>(words: T): { readonly [Code in keyof T]: (...values: Parameters<T[Code]>) => Warning } {
  const make =
    (code: string) =>
    (...values: never[]): Warning => ({ code, words: words[code](...values) });
  return Object.fromEntries(Object.keys(words).map((code) => [code, make(code)])) as unknown as { readonly [Code in keyof T]: (...values: Parameters<T[Code]>) => Warning };
}

/** Results that were kept before warnings had codes hold their words alone. */
export type KeptWarning = Warning | string;

/** The words of warnings, each once. */
export const wordsOf = (warnings: readonly KeptWarning[]): string[] => [...new Set(warnings.map((w) => (typeof w === 'string' ? w : w.words)))];

/** The warning of one code, where it was given. */
export const warningOf = (warnings: readonly KeptWarning[], code: WarningCode): Warning | undefined => warnings.find((w): w is Warning => typeof w !== 'string' && w.code === code);

/** Those whose code is none of these: what stands elsewhere on the page is not said twice. */
export const warningsBut = (warnings: readonly KeptWarning[], ...codes: WarningCode[]): KeptWarning[] => warnings.filter((w) => typeof w === 'string' || !codes.includes(w.code));

/** Each warning once: rounds of one computation find the same again. */
export function once(warnings: readonly Warning[]): Warning[] {
  const seen = new Set<string>();
  return warnings.filter((w) => !seen.has(`${w.code} ${w.words}`) && seen.add(`${w.code} ${w.words}`));
}
