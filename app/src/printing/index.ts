/**
 * The writers of sheets, fetched when one is saved: most who open Mesure print none. They are one piece, since what several pieces share goes
 * into the pages themselves, and they share a megabyte and a half.
 */
export const sheetWriters = () => import('./writers');
