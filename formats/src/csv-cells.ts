import Papa from 'papaparse';

/**
 * Text that a spreadsheet would run as a formula gets an apostrophe before it. A name such as +D or a number such as -7 cannot do anything and
 * stays what it is, so that a program that reads the file finds the name it knows.
 */
const FORMULA = /^(?:[=@\t\r\0]|[+-](?![\p{L}\p{N}_ .,/°'"-]*$))/u;

/** The text that was written: the apostrophe of the guard is none of it. */
export const unguarded = (cell: string): string => (cell.startsWith("'") && FORMULA.test(cell.slice(1)) ? cell.slice(1) : cell);

/** Rows as CSV, lines ended by a line feed; numbers with all their digits. */
export const csvText = (rows: readonly (readonly (string | number)[])[]): string => `${Papa.unparse(rows as (string | number)[][], { newline: '\n', escapeFormulae: FORMULA })}\n`;
