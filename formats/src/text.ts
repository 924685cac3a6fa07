import { FormatError } from './format-error';

/** Text of a file: UTF-8, or UTF-16 where its first two bytes say so, as spreadsheets save it. @throws FormatError for what is no text */
export function textOf(bytes: Uint8Array, file: string): string {
  const order = bytes[0] === 0xff && bytes[1] === 0xfe ? 'utf-16le' : bytes[0] === 0xfe && bytes[1] === 0xff ? 'utf-16be' : null;
  if (order) return new TextDecoder(order).decode(bytes);
  if (bytes.includes(0)) throw new FormatError(file, null, null, 'is not a text file; save it as CSV');
  return new TextDecoder('utf-8').decode(bytes);
}
