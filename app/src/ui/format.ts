/** How numbers are written, in one place. Everything that is shown goes through here. */
export const fixed = (value: number | null | undefined, digits: number): string =>
  value === null || value === undefined || !Number.isFinite(value) ? '–' : value.toFixed(digits).replace(/^-(0(\.0*)?)$/, '$1');
export const percent = (share: number | null | undefined, digits = 0): string => (share === null || share === undefined ? '–' : `${(100 * share).toFixed(digits)} %`);

/** A focal length as it is engraved: whole where it is whole. */
export const focal = (mm: number): string => (Number.isInteger(mm) ? String(mm) : mm.toFixed(1));

/** A standard deviation to two figures, and the digits that its value deserves. */
export function withSigma(value: number, sigma: number): { value: string; sigma: string } {
  if (!(sigma > 0)) return { value: value.toFixed(3), sigma: '0' };
  const digits = Math.min(6, Math.max(0, 1 - Math.floor(Math.log10(sigma))));
  return { value: value.toFixed(digits), sigma: sigma.toFixed(digits) };
}

/** A number as a person types it, point or comma; null when it is none. `signed`: it may lie below zero. */
export function readNumber(text: string, signed = false): number | null {
  const t = text.trim().replace(',', '.').replace('−', '-');
  if (signed && t.startsWith('-')) {
    const size = readNumber(t.slice(1));
    return size === null ? null : -size;
  }
  if (!/^\d*\.?\d+$|^\d+\.$/.test(t)) return null;
  return Number(t);
}

/** Words at the beginning of a line. */
export const capital = (words: string): string => words.charAt(0).toUpperCase() + words.slice(1);
