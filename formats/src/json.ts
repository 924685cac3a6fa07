/** Twelve digits are below a micrometre in a kilometre; what a sum of decimals leaves behind (1.4033499999999999) tells nobody anything. */
const DIGITS = 12;

export const tidy = (v: number): number => (Number.isFinite(v) ? Number(v.toPrecision(DIGITS)) : v);

export const jsonText = (value: unknown, indent = 2): string => `${JSON.stringify(value, (_key, v: unknown) => (typeof v === 'number' ? tidy(v) : v), indent)}\n`;
