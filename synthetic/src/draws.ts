/** How many draws a simulation makes: all of them by `npm run verify`, the first few in the suite, which is to end while somebody waits. */
export const draws = (all: number, few: number): number => (LONG ? all : few);
export const LONG = process.env.MESURE_VERIFY !== undefined;
