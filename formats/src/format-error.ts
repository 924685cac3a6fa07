/** A file that cannot be read: which one, where in it, which field. */
export class FormatError extends Error {
  constructor(
    readonly file: string,
    readonly line: number | null,
    readonly field: string | null,
    message: string,
  ) {
    super(`${file}${line === null ? '' : `, line ${line}`}${field === null ? '' : `, ${field}`}: ${message}`);
    this.name = 'FormatError';
  }
}
