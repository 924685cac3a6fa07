/** How many draws a simulation makes: all of them by `npm run verify`, the first few in the suite, which is to end while somebody waits. */
export const draws = (all: number, few: number): number => (LONG ? all : few);
export const LONG = process.env.MESURE_VERIFY !== undefined;

/** Rows of a table of cases of like kind: all of them by `npm run verify`, `few` of them, spread over the table, in the suite. */
export const some = <T>(rows: readonly T[], few: number): T[] =>
  LONG || few >= rows.length ? [...rows] : Array.from({ length: few }, (_, i) => rows[Math.round((i * (rows.length - 1)) / Math.max(1, few - 1))]);
