/** Coefficients of a lens as a file: as large as they may be, and what they are kept as, which is nothing that a browser would run. */
export const COEFFICIENTS_MAX_BYTES = 1024 * 1024;
export const COEFFICIENTS_MIME = 'application/octet-stream';
